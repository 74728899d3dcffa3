<script setup lang="ts">
import { computed, ref } from 'vue'
import type { AddressPlans, StatedAddresses } from '../../../api/addresses'
import type { BenchActions } from '../../../api/bench'
import type { Bench } from '../../../api/client'
import { readRangesToday, writeRangesToday } from '../../../domain/ranges'
import FaultList from '../../../ui/FaultList.vue'

/** Ranges that the cluster has today, a line each; what is wrong with them, their ceiling, and the least change that reaches the plan. */
const props = defineProps<{ bench: Bench; told: AddressPlans; actions: BenchActions; mayEdit: boolean }>()
const typed = ref<string | null>(null)
const wrong = ref<string[]>([])
const text = computed(() => typed.value ?? writeRangesToday(props.bench.variant.addresses.today ?? []))
const today = computed(() => props.told.today)

function keep(written: string): void {
  typed.value = written
  const read = readRangesToday(written)
  wrong.value = read.wrong
  if (read.wrong.length) return
  props.actions.change.mutate({ addresses: { today: read.rows } as StatedAddresses }, { onSuccess: () => (typed.value = null) })
}
</script>

<template>
  <section class="today">
    <div>
      <h2>Today’s ranges</h2>
      <textarea
        :value="text"
        rows="7"
        spellcheck="false"
        aria-label="ranges of today"
        placeholder="amber nodes 10.64.0.0/24"
        :readonly="!mayEdit"
        :aria-invalid="wrong.length > 0"
        @input="typed = ($event.target as HTMLTextAreaElement).value"
        @change="keep(($event.target as HTMLTextAreaElement).value)"
      />
      <p v-for="line in wrong" :key="line" class="madder">“{{ line }}”: write a zone, nodes, pods, public or services, and a range.</p>
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
          </tr>
        </thead>
        <tbody>
          <tr v-for="change in today.changes" :key="change.name">
            <td>{{ change.was ? 'widen' : 'add' }} {{ change.name }}</td>
            <td class="mono">{{ change.was ?? '' }}</td>
            <td class="mono">{{ change.range }}</td>
            <td>{{ change.because }}</td>
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
  grid-template-columns: 300px minmax(0, 1fr);
  gap: 18px;
  font-size: 12px;
}
textarea {
  width: 100%;
  font-family: 'JetBrains Mono Variable', monospace;
  font-size: 11px;
  color: inherit;
  background: transparent;
  border: 1px solid var(--line);
}
.found {
  display: grid;
  gap: 4px;
  align-content: start;
}
</style>
