<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref, toRef } from 'vue'
import { isPlan, type Bench } from '../../api/client'
import { useInquiry } from '../../api/inquiries'
import { save, svgText } from '../../pictures/lanes/export'
import Lanes from '../../pictures/lanes/Lanes.vue'

const props = defineProps<{ bench: Bench }>()
const fit = computed(() => (isPlan(props.bench.fit) ? props.bench.fit : null))
const picture = ref<HTMLElement | null>(null)
const levels = useInquiry(
  toRef(() => props.bench.variant.id),
  'levels',
)
const limits = computed(() => (levels.now.value?.levels?.limits.length ? levels.now.value : null))
const rehearsal = useInquiry(
  toRef(() => props.bench.variant.id),
  'rehearsal',
)
const rehearsed = computed(() => (rehearsal.now.value?.rehearsal?.outcome ? rehearsal.now.value : null))
const rehearsalFiles = [
  [
    'rehearsal.json',
    'rehearsal',
    'how workloads and pools scale, commands, outages: ./rombel rehearse problem.json start.json demand-through-time.csv --settings rehearsal.json',
  ],
  ['demand-through-time.csv', 'what is asked', 'in replicas’ worth, a column a workload, through the whole rehearsal'],
  ['start.json', 'where it starts', 'the nodes and placement that stand when the rehearsal begins'],
  ['rehearsal.schema.json', 'schema of the rehearsal', 'JSON Schema of rehearsal.json'],
] as const
const LIMITS = [
  ['limits.csv', 'autoscaling limits', 'min and max nodes of every pool and zone with what set them, from the plans of all levels'],
] as const
const files = [
  ['solution.json', 'the fit', 'nodes, placement, landing, cost and floor, in the interchange format'],
  ['problem.json', 'what was asked', 'supply, targets and demand exactly as they were computed'],
  ['pools.csv', 'pools', 'nodes and price of every pool and zone'],
  ['placement.csv', 'placement', 'every workload on every node'],
  [
    'drill-book.json',
    'drill book',
    'losses and changes to play on the fit: ./rombel drill problem.json solution.json --book drill-book.json',
  ],
  ['drill-book.schema.json', 'schema of the drill book', 'JSON Schema of drill-book.json'],
  ['about.json', 'where it comes from', 'study, variant, price list with its date, who and when; every line of the tables says it too'],
  ['solution.schema.json', 'schema of the fit', 'JSON Schema of solution.json'],
  ['problem.schema.json', 'schema of the problem', 'JSON Schema of problem.json'],
] as const

/** Every file with where it is fetched; what was computed before the last change says so. */
const rows = computed(() => {
  const of = (known: readonly (readonly [string, string, string])[], at: string, late = '') =>
    known.map(([name, title, text]) => ({ name, title, text: text + late, href: `/api/${at}/${name}` }))
  const before = (answer: { is_current: boolean }) => (answer.is_current ? '' : ', computed before the last change')
  return [
    ...of(files, `fits/${fit.value?.id}/files`),
    ...(limits.value ? of(LIMITS, `inquiries/${limits.value.id}`, before(limits.value)) : []),
    ...(rehearsed.value ? of(rehearsalFiles, `inquiries/${rehearsed.value.id}/rehearsal-files`, before(rehearsed.value)) : []),
  ]
})

function savePicture(): void {
  const drawn = picture.value?.querySelector('svg')
  if (drawn)
    save(
      svgText(drawn),
      `${[props.bench.study.name, props.bench.variant.name]
        .join(' ')
        .toLowerCase()
        .replace(/[^a-z0-9]+/g, '-')}-fit-${props.bench.fit?.id}-lanes.svg`,
      'image/svg+xml',
    )
}
</script>

<template>
  <div v-if="fit" class="handover">
    <section>
      <h2>Files of this fit</h2>
      <p class="quiet">
        Open formats, written from the stored fit {{ fit.id
        }}<template v-if="!bench.fit_is_current">; the study was edited since</template>.
      </p>
      <table>
        <tbody>
          <tr v-for="row in rows" :key="row.name">
            <th scope="row">
              <a :href="row.href" :download="row.name"
                ><strong>{{ row.name }}</strong></a
              >
            </th>
            <td>{{ row.title }}</td>
            <td class="quiet">{{ row.text }}</td>
          </tr>
          <tr>
            <th scope="row"><NButton size="tiny" @click="savePicture">lanes.svg</NButton></th>
            <td>the picture</td>
            <td class="quiet">the lanes as they are drawn below</td>
          </tr>
        </tbody>
      </table>
      <p class="quiet">Check anybody’s answer against the problem: <code class="mono">./rombel check problem.json solution.json</code></p>
    </section>
    <section ref="picture" class="picture"><Lanes :fit="fit" :width="760" :height="420" /></section>
  </div>
  <p v-else class="none quiet">There is no fit to hand over yet. Compute one under Fit.</p>
</template>

<style scoped>
.handover {
  padding: 18px 22px;
  display: grid;
  gap: 18px;
  overflow: auto;
  height: 100%;
  align-content: start;
  max-width: 1000px;
}
section {
  display: grid;
  gap: 8px;
}
.none {
  padding: 40px;
}
</style>
