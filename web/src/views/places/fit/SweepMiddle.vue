<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, ref, toRef, watch } from 'vue'
import { refDebounced } from '@vueuse/core'
import { underWay, type Bench } from '../../../api/client'
import { sweepFile, useSweepRead, type Sweep, type SweepLine, type useSweeps } from '../../../api/sweeps'
import { useSize } from '../../../composables/useSize'
import { exactMoney, money } from '../../../domain/format'
import { adviceOf, choiceName, valueWords } from '../../../domain/sweep'
import SpreadPicture from '../../../pictures/sweep/SpreadPicture.vue'
import FaultList from '../../../ui/FaultList.vue'
import FoldedTable from '../../../ui/FoldedTable.vue'
import ShareBar from '../../../ui/ShareBar.vue'

/** Many fits for one question: said in a sentence, read back, begun; then what every choice costs under every future, and its regret. */
const props = defineProps<{
  bench: Bench
  sweeps: ReturnType<typeof useSweeps>
  line: SweepLine | null
  sweep: Sweep | null
  mayEdit: boolean
  chosen: number | null
}>()
const emit = defineEmits<{ show: [sweep: number]; choose: [number: number] }>()
const EXAMPLES = [
  'demand -10, 0, 10, 25 % by variants all',
  '40 futures of demand 0 to 40 % likely 10 and interruptible prices -20 to 80 % by variants all',
  'promise all by demand 0, 20 %',
  'regions all by growth 0, 20 %',
]
const sentence = ref('')
const typed = refDebounced(sentence, 300)
const read = useSweepRead(
  toRef(() => props.bench.variant.id),
  typed,
)
const refused = computed(() => (sentence.value.trim() && sentence.value === typed.value ? read.error.value : null))
const box = ref<HTMLElement | null>(null)
const size = useSize(box)
const busy = computed(() => underWay(props.line))
const left = computed(() => (props.line ? props.line.fits - props.line.known : 0))
watch(
  () => props.line?.id,
  () => (sentence.value = props.line?.sentence ?? ''),
  { immediate: true },
)
function start(): void {
  props.sweeps.start.mutate(
    { variant: props.bench.variant.id, sentence: sentence.value },
    { onSuccess: (made) => made && emit('show', made.id) },
  )
}
</script>

<template>
  <div class="sweep">
    <form @submit.prevent="start">
      <NInput
        v-model:value="sentence"
        size="small"
        placeholder="what is decided and what is unknown, joined by “by”"
        :status="refused ? 'error' : undefined"
        :disabled="!mayEdit"
        :input-props="{ 'aria-label': 'sweep in a sentence', spellcheck: false }"
      />
      <NButton
        v-if="mayEdit"
        size="small"
        type="primary"
        attr-type="submit"
        :disabled="!read.data.value || !!refused"
        :loading="sweeps.start.isPending.value"
        >Sweep</NButton
      >
    </form>
    <p class="told">
      <span v-if="refused" class="madder" role="alert">
        {{ refused.faults[0]?.reason ?? refused.message }} {{ refused.faults[0]?.fix }}
      </span>
      <span v-else-if="sentence.trim() && read.data.value" class="quiet">{{ read.data.value.told }}</span>
    </p>
    <FaultList v-if="sweeps.start.error.value" :faults="sweeps.start.error.value.faults ?? []" :title="sweeps.start.error.value.message" />
    <div v-if="!line" class="examples">
      <p class="quiet">
        A sweep fits every choice under every future: variants, regions and promises are decided; demand, growth and prices are not. Say
        which values, or how many futures to draw:
      </p>
      <button v-for="each in EXAMPLES" :key="each" type="button" class="plain-button" @click="sentence = each">{{ each }}</button>
    </div>
    <template v-else>
      <div class="line" role="status">
        <label v-if="sweeps.lines.value.length > 1">
          <select :value="line.id" aria-label="which sweep" @change="emit('show', Number(($event.target as HTMLSelectElement).value))">
            <option v-for="each in sweeps.lines.value" :key="each.id" :value="each.id">{{ each.sentence }}</option>
          </select>
        </label>
        <ShareBar v-if="busy" :share="line.known / line.fits" label="share of the fits known" />
        <span class="quiet">
          {{ line.known }} of {{ line.fits }} fits known<template v-if="sweep?.again">, {{ sweep.again }} of them from before</template> ·
          {{ line.asked_by }}
        </span>
        <span v-if="line.message && !busy" class="madder">{{ line.message }}</span>
        <template v-if="mayEdit">
          <NButton v-if="busy" size="tiny" quaternary :disabled="line.stop_requested" @click="sweeps.stop.mutate(line.id)">{{
            line.stop_requested ? 'stopping' : 'stop'
          }}</NButton>
          <NButton v-else-if="left" size="tiny" @click="sweeps.resume.mutate(line.id)">Compute the other {{ left }}</NButton>
          <NButton v-if="!busy" size="tiny" quaternary @click="sweeps.remove.mutate(line.id)">delete</NButton>
        </template>
        <a :href="sweepFile(line.id)" download>CSV</a>
      </div>
      <div ref="box" class="known">
        <template v-if="sweep && sweep.points.length">
          <ul class="advice">
            <li v-for="words in adviceOf(sweep)" :key="words">{{ words }}</li>
          </ul>
          <SpreadPicture :sweep="sweep" :width="Math.max(360, size.width.value - 8)" :chosen="chosen" @choose="emit('choose', $event)" />
          <table class="choices">
            <thead>
              <tr>
                <th>choice</th>
                <th class="number">on average</th>
                <th class="number">eight of ten between</th>
                <th class="number" title="how much more than the cheapest choice of the same future, at most">worst regret</th>
                <th class="number" title="what floors prove of it: whatever better plan is found, so much remains">sure of it</th>
                <th class="number">cheapest in</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="each in sweep.outcomes" :key="choiceName(each)">
                <td>{{ choiceName(each) }}</td>
                <td class="number">{{ each.mean === null ? '—' : money(each.mean) }}</td>
                <td class="number">{{ each.low === null ? '—' : `${money(each.low)} to ${money(each.high ?? 0)}` }}</td>
                <td class="number" :title="valueWords(each.worst_future)">
                  {{ each.worst_regret === null ? (each.unplanned ? 'no plan' : '—') : money(each.worst_regret) }}
                </td>
                <td class="number">{{ money(each.sure_regret) }}</td>
                <td class="number">{{ each.cheapest }} of {{ sweep.compared }}</td>
              </tr>
            </tbody>
          </table>
          <p class="quiet">
            Costs are of plans that were found, {{ sweep.currency }} a month,
            {{
              sweep.with_fees
                ? 'with what is paid beside nodes as planned today'
                : 'without what is paid beside nodes, which no list states of all regions'
            }}.
          </p>
          <FoldedTable title="Every fit as a table" name="every fit of the sweep" :most="260">
            <thead>
              <tr>
                <th>choice</th>
                <th>future</th>
                <th class="number">cost</th>
                <th class="number">floor</th>
                <th class="number">nodes</th>
                <th>answer</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="point in sweep.points" :key="point.number" :class="{ now: point.number === chosen }">
                <td>{{ sweep.outcomes[point.choice] ? choiceName(sweep.outcomes[point.choice]!) : '' }}</td>
                <td>
                  <button type="button" class="plain-button" @click="emit('choose', point.number)">
                    {{ valueWords(point.brings) || 'as it is' }}
                  </button>
                </td>
                <td class="number">{{ point.cost === null ? '—' : exactMoney(point.cost) }}</td>
                <td class="number">{{ point.floor === null ? '—' : exactMoney(point.floor) }}</td>
                <td class="number">{{ point.nodes }}</td>
                <td>{{ point.reason || (point.known ? `${point.status}, from before` : point.status) }}</td>
              </tr>
            </tbody>
          </FoldedTable>
        </template>
        <p v-else class="quiet">The first fits are computed. Whatever planners ask meanwhile goes before them.</p>
      </div>
    </template>
  </div>
</template>

<style scoped>
.sweep {
  display: flex;
  flex-direction: column;
  gap: 6px;
  height: 100%;
  min-height: 0;
  padding: 4px;
  font-size: 12.5px;
}
form {
  display: flex;
  gap: 8px;
}
.told {
  min-height: 17px;
  font-size: 12px;
}
.examples {
  display: grid;
  gap: 8px;
  justify-items: start;
  padding: 8px 0;
}
.examples button {
  color: var(--petrol);
  text-decoration: underline;
  text-align: left;
}
.line {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
}
select {
  font: inherit;
  color: inherit;
  background: var(--panel);
  border: 1px solid var(--line);
  max-width: 210px;
}
.known {
  overflow: auto;
  min-height: 0;
  display: grid;
  gap: 10px;
  align-content: start;
}
.advice {
  margin: 0;
  padding-left: 18px;
}
.choices td,
.choices th {
  padding: 2px 10px 2px 0;
}
.now {
  background: var(--wash);
}
</style>
