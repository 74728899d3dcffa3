<script setup lang="ts">
import { computed, toRef } from 'vue'
import { isPlan, type Bench } from '../../../api/client'
import { useInquiry } from '../../../api/inquiries'
import { useSignOffs } from '../../../api/signing'
import Lanes from '../../../pictures/lanes/Lanes.vue'

const props = defineProps<{ bench: Bench }>()
const fit = computed(() => (isPlan(props.bench.fit) ? props.bench.fit : null))
const signOffs = useSignOffs(toRef(() => props.bench.study.id))
/** The plan that is signed, where the one that is shown is out of date or another one. */
const signed = computed(() => (signOffs.data.value?.sign_offs ?? []).find((row) => row.state === 'signed' && row.fit_id !== fit.value?.id))
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

/** What is written of the study as it stands: had while the fit is of it. */
const OF_STUDY = [
  [
    'objects.yaml',
    'objects of the cluster’s API',
    'namespaces with their bounds, workloads, autoscalers, disruption budgets; without images',
  ],
  ['patches.yaml', 'patches', 'what the plan decides of workloads that run already, to be applied on the server’s side'],
  ['build.json', 'what is to stand', 'pools with their limits, control plane and ranges, for whoever builds it'],
  ['build.schema.json', 'schema of the build', 'JSON Schema of build.json'],
  ['brief.html', 'brief', 'the plan on one page, to be printed'],
  ['study.json', 'the study', 'without its measured use, to be brought into another Rombel'],
  ['access.yaml', 'access', 'who may do what, as bindings of the roles that every cluster has; stated under Pre-flight'],
  ['client-config.yaml', 'client configuration', 'where the API answers, without a secret'],
  ['dates.ics', 'dates', 'planned events, and the days on which access and the version end and measured use meets its limits'],
  ['bill.csv', 'bill', 'every charge of a month'],
  ['cost-data.csv', 'cost data', 'a planned month as open cost data'],
  ['findings.csv', 'findings', 'what pre-flight finds, and who accepted it'],
  ['addresses.csv', 'addresses', 'every range of the address plan, where a parent range is stated'],
  ['addresses.json', 'addresses as JSON', 'the same'],
] as const
const PICTURES = [
  ['lanes.svg', 'the picture', 'nodes by zone'],
  ['lanes.png', 'the picture as pixels', 'for what takes no SVG'],
] as const

/** Every file with where it is fetched; what was computed before the last change says so. */
const rows = computed(() => {
  const of = (known: readonly (readonly [string, string, string])[], at: string, late = '') =>
    known.map(([name, title, text]) => ({ name, title, text: text + late, href: `/api/${at}/${name}` }))
  const before = (answer: { is_current: boolean }) => (answer.is_current ? '' : ', computed before the last change')
  return [
    ...of(files, `fits/${fit.value?.id}/files`),
    ...of(PICTURES, `fits/${fit.value?.id}/bundle`),
    ...(props.bench.fit_is_current ? of(OF_STUDY, `fits/${fit.value?.id}/bundle`) : []),
    ...(limits.value ? of(LIMITS, `inquiries/${limits.value.id}`, before(limits.value)) : []),
    ...(rehearsed.value ? of(rehearsalFiles, `inquiries/${rehearsed.value.id}/rehearsal-files`, before(rehearsed.value)) : []),
  ]
})
</script>

<template>
  <div v-if="fit" class="handover">
    <section>
      <h2>Files of this fit</h2>
      <p>
        <a class="whole" :href="`/api/fits/${fit.id}/bundle.zip`" download><strong>All of it as one file</strong></a>
        <span class="quiet">
          with a list of contents, fingerprints and the commands that read it; the same plan gives the same bytes. Written from the stored
          fit {{ fit.id }}.</span
        >
      </p>
      <p v-if="!bench.fit_is_current" class="amber">
        The study was changed after this fit. What is written of the study as it stands is left out until it is fitted again.
        <template v-if="signed">
          The plan that is signed, of {{ signed.variant_name }}, is handed over as
          <a :href="`/api/fits/${signed.fit_id}/bundle.zip`" download>one file</a> too.
        </template>
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
        </tbody>
      </table>
      <p class="quiet">Check anybody’s answer against the problem: <code class="mono">./rombel check problem.json solution.json</code></p>
    </section>
    <section class="picture"><Lanes :fit="fit" :width="760" :height="420" /></section>
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
