<script setup lang="ts">
import { NButton, NInputNumber } from 'naive-ui'
import { computed, ref } from 'vue'
import type { Bench } from '../../../api/client'
import { useProposals, useSeries, type DemandActions, type Policy } from '../../../api/demand'
import { useSize } from '../../../composables/useSize'
import { gibibytes, money, percent, plural, vcpus } from '../../../domain/format'
import UseLine from '../../../pictures/through-time/UseLine.vue'
import UsageImport from './UsageImport.vue'
import OneOf from '../../../ui/OneOf.vue'

/** What was measured, what requests would follow from it, what they save and what they risk. */
const props = defineProps<{ bench: Bench; demand: DemandActions; mayEdit: boolean }>()
const policy = ref<Policy>({ cpu_percentile: 95, definition: 'nearest rank', cpu_margin_percent: 15, memory_margin_percent: 15 })
const variant = computed(() => props.bench.variant.id)
const found = useProposals(variant, policy)
const data = computed(() => found.data.value)
const chosen = ref<string | null>(null)
const row = computed(() => data.value?.rows.find((entry) => entry.name === chosen.value) ?? data.value?.rows[0])
const series = useSeries(
  computed(() => props.bench.study.id),
  computed(() => row.value?.name ?? null),
)
const canvas = ref<HTMLElement | null>(null)
const { width } = useSize(canvas)
const importing = ref(false)
const definitions = ['nearest rank', 'linear', 'weibull'].map((value) => ({ value, label: value }))
const saves = computed(() => Number(data.value?.floor_now ?? 0) - Number(data.value?.floor_then ?? 0))
const open = computed(
  () => data.value?.rows.filter((entry) => entry.cpu_now !== entry.cpu_then || entry.memory_now !== entry.memory_then) ?? [],
)
const sized = computed(() => data.value?.rows.filter((entry) => entry.sized) ?? [])
const whole = computed(() => data.value?.coincidence[0])

function over(share: number | null): string {
  return share === null ? '—' : share === 0 ? 'never' : share < 0.001 ? '<0.1\u202f%' : percent(share)
}
</script>

<template>
  <div class="usage">
    <p v-if="!data" class="quiet none" role="status">{{ found.error.value?.message ?? 'looking through what was measured…' }}</p>
    <UsageImport v-if="importing || (data && !data.usage)" :bench="bench" :demand="demand" :may-edit="mayEdit" @done="importing = false" />
    <template v-if="data?.usage">
      <section class="head">
        <p>
          <strong>{{ data.usage.workloads }} workloads measured</strong>, {{ data.usage.window }}, every {{ data.usage.step_s }} s:
          {{ data.usage.samples.toLocaleString('en-GB') }} samples, {{ percent(data.usage.gaps) }} of the time without one<template
            v-if="data.usage.resets"
            >, {{ data.usage.resets }} counter resets</template
          >.
          <span v-if="data.usage.without.length" class="quiet" :title="data.usage.without.join(', ')"
            >{{ data.usage.without.length }} not measured.</span
          >
        </p>
        <NButton v-if="mayEdit" size="tiny" @click="importing = !importing">{{ importing ? 'Close' : 'Read another series' }}</NButton>
      </section>
      <section class="policy" aria-label="how requests follow from use">
        <label
          >CPU: percentile
          <NInputNumber
            v-model:value="policy.cpu_percentile"
            size="tiny"
            :min="1"
            :max="100"
            :show-button="false"
            :input-props="{ 'aria-label': 'CPU percentile' }"
        /></label>
        <label
          >defined as
          <OneOf
            v-model:value="policy.definition"
            size="tiny"
            :options="definitions"
            :consistent-menu-width="false"
            name="definition of the percentile"
        /></label>
        <label
          >+
          <NInputNumber
            v-model:value="policy.cpu_margin_percent"
            size="tiny"
            :min="0"
            :max="500"
            :show-button="false"
            :input-props="{ 'aria-label': 'CPU margin' }"
          />
          %</label
        >
        <label
          >memory: maximum +
          <NInputNumber
            v-model:value="policy.memory_margin_percent"
            size="tiny"
            :min="0"
            :max="500"
            :show-button="false"
            :input-props="{ 'aria-label': 'memory margin' }"
          />
          %</label
        >
        <span class="grow" />
        <span v-if="data.faults.length" class="madder">{{ data.faults[0] }}</span>
        <span v-else title="the floor of this variant with the requests as they stand, and with all proposals"
          >floor {{ money(data.floor_now) }} → <strong>{{ money(data.floor_then) }}</strong> {{ bench.study.currency }} a month:
          <strong :class="{ madder: saves < 0 }">{{ saves >= 0 ? `saves ${money(saves)}` : `costs ${money(-saves)}` }}</strong></span
        >
        <template v-if="mayEdit">
          <NButton
            size="tiny"
            type="primary"
            :disabled="!open.length"
            :loading="demand.take.isPending.value"
            @click="demand.take.mutate({ ...policy, keys: [] })"
            >Take all {{ open.length }}</NButton
          >
          <NButton size="tiny" :disabled="!sized.length" @click="demand.giveBack.mutate([])">Restore {{ sized.length }}</NButton>
        </template>
      </section>
      <div class="body">
        <div class="table">
          <table>
            <thead>
              <tr>
                <th>workload</th>
                <th class="number">×</th>
                <th class="number">CPU now</th>
                <th class="number">proposed</th>
                <th
                  class="number"
                  title="share of the measured time in which the busiest replica uses more than it requests: now, and then"
                >
                  over it, now → then
                </th>
                <th class="number">memory now</th>
                <th class="number">proposed</th>
                <th class="number" title="share of the time over the request: memory that nobody keeps for it">over it, now → then</th>
                <th class="number" title="at today’s marginal prices: one vCPU and one GiB of request">saves a month</th>
                <th v-if="mayEdit" />
              </tr>
            </thead>
            <tbody>
              <tr v-for="entry in data.rows" :key="entry.key" :class="{ chosen: entry.name === row?.name }" @click="chosen = entry.name">
                <td>
                  <button type="button" class="plain-button">{{ entry.name }}</button><sup
                    v-if="entry.caution"
                    class="madder"
                    :title="entry.caution"
                  >
                    !</sup
                  >
                </td>
                <td class="number">
                  {{ entry.replicas }}<template v-if="entry.replicas_then !== entry.replicas"> → {{ entry.replicas_then }}</template>
                </td>
                <td class="number">{{ entry.cpu_now }}</td>
                <td
                  class="number"
                  :class="{
                    up: entry.cpu_then_millicores > entry.cpu_now_millicores,
                    down: entry.cpu_then_millicores < entry.cpu_now_millicores,
                  }"
                >
                  {{ entry.cpu_then }}
                </td>
                <td class="number quiet">{{ over(entry.cpu_over_now) }} → {{ over(entry.cpu_over_then) }}</td>
                <td class="number">{{ entry.memory_now }}</td>
                <td
                  class="number"
                  :class="{ up: entry.memory_then_bytes > entry.memory_now_bytes, down: entry.memory_then_bytes < entry.memory_now_bytes }"
                >
                  {{ entry.memory_then }}
                </td>
                <td class="number quiet" :class="{ madder: (entry.memory_over_now ?? 0) > 0 }">
                  {{ over(entry.memory_over_now) }} → {{ over(entry.memory_over_then) }}
                </td>
                <td class="number">{{ money(entry.saves_per_month) }}</td>
                <td v-if="mayEdit">
                  <button
                    v-if="entry.cpu_now !== entry.cpu_then || entry.memory_now !== entry.memory_then"
                    type="button"
                    class="plain-button madder"
                    :aria-label="`take the proposal of ${entry.name}`"
                    @click.stop="demand.take.mutate({ ...policy, keys: [entry.key] })"
                  >
                    take</button
                  ><button
                    v-else-if="entry.sized"
                    type="button"
                    class="plain-button quiet"
                    :aria-label="`give ${entry.name} its request back`"
                    @click.stop="demand.giveBack.mutate([entry.key])"
                  >
                    give back
                  </button>
                </td>
              </tr>
            </tbody>
          </table>
        </div>
        <aside ref="canvas" class="side" tabindex="0" aria-label="the workload chosen, and how peaks coincide">
          <template v-if="row && series.data.value">
            <h2>{{ row.name }}</h2>
            <p class="quiet">its busiest replica; {{ row.caution || 'measured whole weeks, replica by replica' }}</p>
            <UseLine
              title="CPU of the busiest replica"
              :start-s="series.data.value.start_s"
              :step-s="series.data.value.step_s"
              :values="series.data.value.cpu"
              :now="row.cpu_now_millicores / 1000"
              :then="row.cpu_then_millicores / 1000"
              unit="cores"
              :width="width"
              :height="150"
            />
            <UseLine
              title="memory of the busiest replica"
              :start-s="series.data.value.start_s"
              :step-s="series.data.value.step_s"
              :values="series.data.value.memory.map((value) => (value === null ? null : value / 2 ** 30))"
              :now="row.memory_now_bytes / 2 ** 30"
              :then="row.memory_then_bytes / 2 ** 30"
              unit="GiB"
              :width="width"
              :height="150"
            />
            <p v-if="row.most_over_limit !== null" :class="{ madder: row.most_over_limit > 0.9 }">
              Memory came to {{ percent(row.most_over_limit, 0) }} of its limit; at 100 % the container is killed.
            </p>
            <p v-else class="quiet">
              No memory limit is known: out of memory, the node chooses whom it kills; whoever is over its request goes first.
            </p>
          </template>
          <template v-if="whole">
            <h2>Peaks that do not coincide</h2>
            <p>
              The {{ plural(whole.workloads, 'workload') }} peak at {{ vcpus(1000 * whole.sum_of_peaks) }} cores one by one, at
              <strong>{{ vcpus(1000 * whole.peak_of_sum) }}</strong> together ({{ percent(whole.peak_of_sum / whole.sum_of_peaks, 0) }}), on
              {{ new Date(whole.at).toLocaleString('en-GB', { dateStyle: 'medium', timeStyle: 'short', timeZone: 'UTC' }) }} UTC.
            </p>
            <table>
              <tbody>
                <tr v-for="entry in data.coincidence.slice(1, 8)" :key="entry.group">
                  <td>{{ entry.group }}</td>
                  <td class="meter">
                    <i :style="{ width: `${(100 * entry.sum_of_peaks) / whole.sum_of_peaks}%` }" /><i
                      class="sum"
                      :style="{ width: `${(100 * entry.peak_of_sum) / whole.sum_of_peaks}%` }"
                    />
                  </td>
                  <td
                    class="number"
                    :title="`sum of peaks ${entry.sum_of_peaks.toFixed(1)}, peak of the sum ${entry.peak_of_sum.toFixed(1)} cores, over ${percent(entry.measured_share)} of the time`"
                  >
                    {{ percent(entry.peak_of_sum / entry.sum_of_peaks, 0) }}
                  </td>
                </tr>
              </tbody>
            </table>
            <p class="quiet">
              Marginal prices in this variant: {{ money(data.per_vcpu) }} {{ bench.study.currency }} a vCPU, {{ money(data.per_gib) }} a GiB
              of request, a month ({{ gibibytes(2 ** 30) }} GiB = 2³⁰ bytes).
            </p>
          </template>
        </aside>
      </div>
    </template>
  </div>
</template>

<style scoped>
.usage {
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-height: 0;
  height: 100%;
  padding-top: 8px;
}
.head,
.policy {
  display: flex;
  gap: 12px;
  align-items: center;
}
.head p {
  flex: 1;
}
.grow {
  flex: 1;
}
.policy {
  border: 1px solid var(--line);
  border-width: 1px 0;
  padding: 5px 0;
}
label {
  display: flex;
  gap: 6px;
  align-items: center;
  white-space: nowrap;
}
.policy :deep(.n-input-number) {
  width: 54px;
}
.policy :deep(.n-select) {
  width: 118px;
}
.body {
  display: grid;
  grid-template-columns: 1fr 360px;
  gap: 16px;
  min-height: 0;
  flex: 1;
}
.table,
.side {
  overflow: auto;
  min-height: 0;
}
thead th {
  position: sticky;
  top: 0;
  background: var(--paper);
}
td {
  padding: 2px 6px;
  white-space: nowrap;
}
tr.chosen {
  background: var(--panel);
  box-shadow: inset 3px 0 0 var(--madder);
}
tbody tr:hover {
  background: var(--wash);
}
.up {
  color: var(--madder);
  font-weight: 600;
}
.down {
  color: var(--petrol);
  font-weight: 600;
}
.side {
  display: grid;
  gap: 6px;
  align-content: start;
  padding-right: 4px;
}
.side p {
  font-size: 12px;
}
.none {
  padding: 40px;
}
.meter {
  width: 130px;
}
.meter i {
  display: block;
  height: 4px;
  background: var(--line);
}
.meter .sum {
  background: var(--petrol);
  margin-top: 1px;
}
</style>
