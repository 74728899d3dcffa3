<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import type { BenchActions } from '../../api/bench'
import { Problem, type Bench } from '../../api/client'
import { gibibytes, vcpus } from '../../domain/format'
import FaultList from '../../ui/FaultList.vue'
import DemandSheet from './demand/DemandSheet.vue'
import ImportPanel from './demand/ImportPanel.vue'

const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const find = ref('')
const importing = ref(false)
/** Counts the edits that were taken, so that the sheet forgets what was typed. */
const saved = ref(0)
const rows = computed(() => props.bench.workloads.filter((row) => `${row.namespace}/${row.name} ${row.owner}`.toLowerCase().includes(find.value.toLowerCase())))
const sums = computed(() => ({
  replicas: rows.value.reduce((sum, row) => sum + row.replicas, 0),
  cpu: rows.value.reduce((sum, row) => sum + row.replicas * row.cpu_millicores, 0),
  memory: rows.value.reduce((sum, row) => sum + row.replicas * row.memory_bytes, 0),
}))
const error = computed(() => props.actions.edit.error.value as Problem | null)
const faults = computed(() => (error.value?.faults ?? []).map((fault) => ({ ...fault, reason: `${label(fault.path)}${fault.reason}` })))

function label(path: string): string {
  const [key, column] = path.split('.')
  const row = props.bench.workloads.find((entry) => entry.key === key)
  return row ? `${row.namespace}/${row.name}, ${column}: ` : ''
}
function send(edit: Parameters<typeof props.actions.edit.mutate>[0]): void {
  props.actions.edit.mutate(edit, { onSuccess: () => (saved.value += 1) })
}
function add(): void {
  let number = 1
  while (props.bench.workloads.some((row) => row.name === `workload-${number}`)) number += 1
  send({ cells: { [crypto.randomUUID()]: { namespace: 'default', name: `workload-${number}`, cpu: '250m', memory: '512Mi', replicas: '2' } }, removed: [] })
}
</script>

<template>
  <div class="demand">
    <div class="head">
      <h2>Demand</h2>
      <span class="quiet">{{ rows.length }} workloads · {{ sums.replicas }} replicas · {{ vcpus(sums.cpu) }} vCPU · {{ gibibytes(sums.memory) }} GiB requested</span>
      <span class="grow" />
      <NInput v-model:value="find" size="tiny" clearable placeholder="find a workload" data-find :input-props="{ 'aria-label': 'find a workload' }" />
      <template v-if="mayEdit">
        <NButton size="tiny" :disabled="!bench.edits.undo" :title="bench.edits.undo ?? ''" @click="actions.undo.mutate()">Undo</NButton>
        <NButton size="tiny" :disabled="!bench.edits.redo" :title="bench.edits.redo ?? ''" @click="actions.redo.mutate()">Do again</NButton>
        <NButton size="tiny" @click="add">Add a row</NButton>
        <NButton size="tiny" type="primary" @click="importing = !importing">{{ importing ? 'Close import' : 'Import' }}</NButton>
      </template>
    </div>
    <ImportPanel v-if="importing" :actions="actions" @done="importing = false" />
    <FaultList v-if="error" :title="error.message" :faults="faults" />
    <DemandSheet v-if="bench.workloads.length" :rows="rows" :faults="error?.faults ?? []" :may-edit="mayEdit" :saved="saved" @edit="send({ cells: $event, removed: [] })" @remove="send({ cells: {}, removed: [$event] })" />
    <p v-else class="quiet none">No workloads yet. Import manifests or a CSV, or add a row; the demo study “Summer timetable” shows a full sheet.</p>
  </div>
</template>

<style scoped>
.demand { height: 100%; display: flex; flex-direction: column; padding: 8px 14px 0; gap: 8px; }
.head { display: flex; gap: 10px; align-items: center; }
.head :deep(.n-input) { width: 200px; }
.grow { flex: 1; }
.none { padding: 40px; }
</style>
