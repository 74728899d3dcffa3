<script setup lang="ts">
import { NCheckbox } from 'naive-ui'
import { computed, toRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { BenchActions } from '../../../api/bench'
import { planId, type Bench, type Problem } from '../../../api/client'
import { useBill, type By } from '../../../api/ledger'
import { exactMoney, price } from '../../../domain/format'
import FaultList from '../../../ui/FaultList.vue'
import FoldedTable from '../../../ui/FoldedTable.vue'
import OneOf from '../../../ui/OneOf.vue'
import BesideForm from './BesideForm.vue'
import BillBars from './BillBars.vue'

/** The whole bill of the plan: what is counted at the left, its parts as bars, its lines behind them; the address carries how it is divided. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const route = useRoute()
const router = useRouter()
const BY: { value: By; label: string }[] = [
  { value: 'kind', label: 'what is bought' },
  { value: 'pool', label: 'pool' },
  { value: 'zone', label: 'zone' },
  { value: 'owner', label: 'owner' },
  { value: 'namespace', label: 'namespace' },
  { value: 'service', label: 'service' },
  { value: 'journey', label: 'journey' },
  { value: 'workload', label: 'workload' },
]
const LABEL = 'label '
const by = computed<By>(() => {
  const named = String(route.query.by ?? '')
  return named.startsWith(LABEL) ? 'label' : (BY.find((entry) => entry.value === named)?.value ?? 'kind')
})
/** Everything a bill can be divided by, the labels that rows carry included. */
const ways = computed(() => [...BY, ...(bill.value?.labels ?? []).map((name) => ({ value: `${LABEL}${name}`, label: `label ${name}` }))])
const MEASURES = [
  { value: 'dominant', label: 'by the resource of which most is taken' },
  { value: 'weight', label: 'by CPU and memory, a core as 4 GiB' },
]
const BOUGHT = ['kind', 'pool', 'zone']
const asked = computed(() => ({
  period: typeof route.query.period === 'string' ? route.query.period : 'month',
  by: by.value,
  label: by.value === 'label' ? String(route.query.by).slice(LABEL.length) : '',
  spread: route.query.spread === 'yes',
  measure: route.query.share === 'weight' ? ('weight' as const) : ('dominant' as const),
}))
const fit = computed(() => planId(props.bench))
const query = useBill(
  toRef(() => props.bench.variant.id),
  fit,
  asked,
)
const bill = computed(() => query.data.value ?? null)
const error = computed(() => query.error.value as Problem | null)
const month = new Date().toISOString().slice(0, 7)
const trial = computed(() => props.bench.variant.beside.trial_ends ?? '')
const periods = computed(() => [
  { value: 'month', label: 'a month of 730 hours' },
  { value: 'calendar', label: 'a month of the calendar' },
  { value: 'until', label: trial.value ? 'to the end of the trial' : 'from now until' },
])
const chosen = computed(() => (asked.value.period === 'month' ? 'month' : /^\d{4}-\d\d$/.test(asked.value.period) ? 'calendar' : 'until'))
const file = computed(() => {
  const { period, by, label, spread, measure } = asked.value
  const parts = new URLSearchParams({ period, ...(BOUGHT.includes(by) ? {} : { by, label, measure, spread: String(spread) }) })
  return `/api/variants/${props.bench.variant.id}/${BOUGHT.includes(by) ? 'bill' : 'showback'}.csv?${parts.toString()}`
})

/** What it costs where nodes follow demand: the hours at each level and their sum. */
const byLevel = computed(() => {
  const levels = bill.value?.by_level ?? []
  if (!levels.length || !bill.value) return ''
  const sum = levels.reduce((total, entry) => total + Number(entry.cost), 0)
  const parts = levels.map((entry) => `${entry.level} ${entry.hours.toFixed(0)} h ${exactMoney(entry.cost)}`).join(', ')
  return `Where nodes follow demand: ${exactMoney(sum)} ${bill.value.currency}, of which ${parts}.`
})

function set(change: Record<string, string | undefined>): void {
  void router.replace({ query: { ...route.query, ...change } })
}
/** Says that the cluster is a trial that ends on a day, which is in the calendar of the handover then; empty: that it is none. */
function keepTrial(day: string): void {
  props.actions.change.mutate({ beside: { trial_ends: day } })
}
function setPeriod(kind: string): void {
  if (kind === 'until') {
    const nextWeek = new Date(Date.now() + 7 * 86_400_000).toISOString().slice(0, 16)
    set({ period: trial.value ? `${trial.value}T00:00` : nextWeek })
  } else set({ period: kind === 'month' ? undefined : month })
}
</script>

<template>
  <div class="ledger">
    <aside class="left" tabindex="0" aria-label="what is counted beside the nodes">
      <BesideForm v-if="bill" :bench="bench" :bill="bill" :actions="actions" :may-edit="mayEdit" />
    </aside>
    <section class="middle">
      <div class="tools">
        <OneOf
          size="tiny"
          class="pick"
          name="divided by"
          :value="asked.label ? `${LABEL}${asked.label}` : asked.by"
          :options="ways"
          @update:value="set({ by: $event })"
        />
        <OneOf size="tiny" class="wide" name="period" :value="chosen" :options="periods" @update:value="setPeriod" />
        <input
          v-if="chosen === 'calendar'"
          type="month"
          :value="asked.period"
          aria-label="month"
          @change="set({ period: ($event.target as HTMLInputElement).value || undefined })"
        />
        <input
          v-if="chosen === 'until'"
          type="datetime-local"
          :value="asked.period"
          aria-label="until, UTC"
          @change="set({ period: ($event.target as HTMLInputElement).value || undefined })"
        />
        <button
          v-if="chosen === 'until' && mayEdit && asked.period.slice(0, 10) !== trial"
          type="button"
          class="plain-button"
          @click="keepTrial(asked.period.slice(0, 10))"
        >
          It is a trial and ends then
        </button>
        <button v-else-if="chosen === 'until' && mayEdit && trial" type="button" class="plain-button" @click="keepTrial('')">
          It is no trial
        </button>
        <NCheckbox v-if="!BOUGHT.includes(asked.by)" :checked="asked.spread" @update:checked="set({ spread: $event ? 'yes' : undefined })"
          >spread what nobody asks for</NCheckbox
        >
        <OneOf
          v-if="!BOUGHT.includes(asked.by)"
          size="tiny"
          class="measure"
          name="how a node is shared"
          :value="asked.measure"
          :options="MEASURES"
          @update:value="set({ share: $event === 'weight' ? 'weight' : undefined })"
        />
        <a :href="file" download>as CSV</a>
      </div>
      <FaultList v-if="error" :faults="error.faults ?? []" :title="error.message" />
      <template v-if="bill">
        <p class="total">
          <strong>{{ exactMoney(bill.total) }} {{ bill.currency }}</strong> for {{ bill.words
          }}<template v-if="!bench.fit_is_current">, of the last fit: the study was edited since</template>.
        </p>
        <p v-if="byLevel" class="quiet">{{ byLevel }}</p>
        <BillBars :bill="bill" />
        <p v-if="!BOUGHT.includes(asked.by)" class="quiet">
          {{
            asked.measure === 'weight'
              ? 'A replica pays its part of the CPU and memory of its node, a core weighing as much as 4 GiB.'
              : 'A replica pays the share of its node that the resource takes of which it requests the largest share.'
          }}
          Daemon workloads pay first; what the system keeps is in everybody’s part. Rows that are kept together share by what they request.
        </p>
        <FoldedTable title="Every line: quantity × price × hours" name="lines of the bill">
          <thead>
            <tr>
              <th>charge</th>
              <th>for</th>
              <th>zone</th>
              <th class="number">quantity</th>
              <th class="number">price</th>
              <th class="number">times</th>
              <th class="number">{{ bill.currency }}</th>
              <th>price from</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(line, place) in bill.charges" :key="place">
              <td>{{ line.kind }}</td>
              <td>{{ line.what }} {{ line.purchase }}</td>
              <td>{{ line.zone }}</td>
              <td class="number">{{ line.quantity }}</td>
              <td class="number">{{ price(line.price) }}</td>
              <td class="number">{{ line.times }} {{ line.unit === 'hour' ? 'h' : 'months' }}</td>
              <td class="number">{{ exactMoney(line.amount) }}</td>
              <td class="quiet">{{ line.source }}</td>
            </tr>
          </tbody>
        </FoldedTable>
        <p class="quiet">
          What each promise costs stands under Fit; cost against availability under
          <RouterLink :to="{ path: `/bench/${bench.variant.id}/targets`, query: { show: 'cost' } }">Cost of availability</RouterLink>.
        </p>
      </template>
    </section>
  </div>
</template>

<style scoped>
.ledger {
  display: grid;
  grid-template-columns: minmax(280px, 330px) minmax(0, 1fr);
  height: 100%;
}
.left {
  overflow: auto;
  padding: 12px 14px;
  border-right: 1px solid var(--line);
}
.middle {
  overflow: auto;
  padding: 12px 18px;
  display: grid;
  gap: 10px;
  align-content: start;
}
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: center;
  font-size: 12px;
}
.pick {
  width: 150px;
}
.wide {
  width: 190px;
}
.measure {
  width: 250px;
}
input {
  font: inherit;
  color: inherit;
  background: transparent;
  border: 0;
  border-bottom: 1px solid var(--line);
}
.total {
  font-size: 15px;
}
p {
  font-size: 12px;
}
</style>
