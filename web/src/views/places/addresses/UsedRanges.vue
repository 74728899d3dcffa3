<script setup lang="ts">
import { computed, toRef } from 'vue'
import { useUsedRanges, type StatedAddresses } from '../../../api/addresses'
import type { BenchActions } from '../../../api/bench'
import type { Bench, Problem } from '../../../api/client'
import type { Cells } from '../../../domain/cells'
import CellTable from '../../../ui/CellTable.vue'
import FaultList from '../../../ui/FaultList.vue'

/** Ranges in use elsewhere, to type or paste, or from a file with any names of columns. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const COLUMNS = [
  { name: 'range', title: 'range', width: '1fr' },
  { name: 'name', title: 'what it is', width: '1fr', optional: true },
]
const rows = computed(() => (props.bench.variant.addresses.used ?? []).map((used) => ({ range: used.range, name: used.name ?? '' })))
const take = useUsedRanges(toRef(() => props.bench.variant.id))
const error = computed(() => take.error.value as Problem | null)
const faults = computed(() => (props.actions.change.error.value as Problem | null)?.faults ?? [])

function keep(used: Cells[], kept: () => void): void {
  props.actions.change.mutate({ addresses: { used } as unknown as StatedAddresses }, { onSuccess: kept })
}
async function load(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  if (file) take.mutate(await file.text())
  input.value = ''
}
</script>

<template>
  <section>
    <h3>In use elsewhere</h3>
    <CellTable
      name="ranges in use elsewhere"
      :columns="COLUMNS"
      :rows="rows"
      :may-edit="mayEdit"
      :wrong="(row, column) => column === 'range' && faults.some((fault) => fault.path === `addresses.used.${row}`)"
      @keep="keep"
    />
    <input v-if="mayEdit" type="file" accept=".csv,.txt" aria-label="file of ranges in use" @change="load" />
    <FaultList v-if="error" :faults="error.faults ?? []" :title="error.message" />
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 4px;
  padding-top: 8px;
}
input {
  font: inherit;
  font-size: 11px;
  color: inherit;
}
</style>
