<script setup lang="ts">
import { computed } from 'vue'
import type { AddressPlans, StatedAddresses } from '../../../api/addresses'
import { useAddressesSettled, type BenchActions } from '../../../api/bench'
import type { Bench, Problem, Schemas } from '../../../api/client'
import type { Cells } from '../../../domain/cells'
import { readRangesToday, ROLES } from '../../../domain/ranges'
import CellTable from '../../../ui/CellTable.vue'
import FaultList from '../../../ui/FaultList.vue'

/** Ranges that the cluster has today; what is wrong with them, their ceiling, and the least change that reaches the plan. */
const props = defineProps<{ bench: Bench; told: AddressPlans; actions: BenchActions; mayEdit: boolean }>()
type Change = Schemas['AddressChangeOut']
const rows = computed(() =>
  (props.bench.variant.addresses.today ?? []).map((entry) => ({ zone: entry.zone ?? '', role: entry.role as string, range: entry.range })),
)
const columns = computed(() => [
  { name: 'zone', title: 'zone', width: '0.8fr', options: props.bench.variant.zones, optional: true },
  { name: 'role', title: 'carries', width: '0.8fr', options: ROLES },
  { name: 'range', title: 'range', width: '1.2fr' },
])
const today = computed(() => props.told.today)
const settled = useAddressesSettled()
const faults = computed(() => (props.actions.change.error.value as Problem | null)?.faults ?? [])

function keep(ranges: Cells[], kept?: () => void): void {
  props.actions.change.mutate({ addresses: { today: ranges } as unknown as StatedAddresses }, { onSuccess: kept })
}
/** Take proposed changes over: what is widened in place of what it was, what is added after the rest. */
function takeOver(changes: Change[]): void {
  const widened = rows.value.map((row) => {
    const change = changes.find((each) => each.was === row.range && each.role === row.role && each.zone === row.zone)
    return change ? { ...row, range: change.range } : row
  })
  const added = changes.filter((change) => !change.was).map(({ zone, role, range }) => ({ zone, role, range }))
  keep([...widened, ...added])
}
</script>

<template>
  <section class="today">
    <div>
      <h2>Today’s ranges</h2>
      <CellTable
        name="ranges of today"
        :columns="columns"
        :rows="rows"
        :may-edit="mayEdit"
        :read="readRangesToday"
        :wrong="(row, column) => faults.some((fault) => fault.path === `addresses.today.${row}.${column}`)"
        @keep="keep"
      />
    </div>
    <div v-if="today" class="found">
      <FaultList :faults="today.faults" />
      <p v-for="ceiling in today.ceilings" :key="ceiling.zone">
        {{ ceiling.zone }}: {{ ceiling.nodes }} nodes at most, as {{ ceiling.decided_by }} runs out first.
      </p>
      <p v-if="!today.changes.length && !today.missing.length">They carry the plan and what it grows to.</p>
      <table v-else>
        <thead>
          <tr>
            <th>least change</th>
            <th>from</th>
            <th>to</th>
            <th>why</th>
            <th>
              <button
                v-if="mayEdit && today.changes.length > 1"
                type="button"
                class="plain-button link"
                :disabled="!settled"
                @click="takeOver(today.changes)"
              >
                take all over
              </button>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="change in today.changes" :key="change.name">
            <td>{{ change.was ? 'widen' : 'add' }} {{ change.name }}</td>
            <td class="mono">{{ change.was ?? '' }}</td>
            <td class="mono">{{ change.range }}</td>
            <td>{{ change.because }}</td>
            <td>
              <button
                v-if="mayEdit"
                type="button"
                class="plain-button link"
                :disabled="!settled"
                :aria-label="`take over: ${change.name} ${change.range}`"
                @click="takeOver([change])"
              >
                take over
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-if="today.missing.length" class="madder">The parent has no room left for {{ today.missing.join(', ') }}.</p>
    </div>
    <p v-else class="quiet">
      Type or paste the ranges that are there: they are checked, and the least change that reaches the plan is proposed.
    </p>
  </section>
</template>

<style scoped>
.today {
  display: grid;
  grid-template-columns: 330px minmax(0, 1fr);
  gap: 18px;
  font-size: 12px;
}
.link {
  color: var(--madder);
  text-decoration: underline;
}
.found {
  display: grid;
  gap: 4px;
  align-content: start;
}
</style>
