<script setup lang="ts">
import { NButton, NInput, NRadioButton, NRadioGroup, useMessage } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import type { BenchActions } from '../../../api/bench'
import { Problem } from '../../../api/client'
import { plural } from '../../../domain/format'
import FaultList from '../../../ui/FaultList.vue'

/** Read a text, show what it holds, and take it: all of it or nothing. */
const props = defineProps<{ actions: BenchActions }>()
const emit = defineEmits<{ done: [] }>()
const message = useMessage()
const format = ref<'manifests' | 'csv'>('manifests')
const text = ref('')
const reading = computed(() => props.actions.preview.data.value)
const error = computed(() => (props.actions.preview.error.value ?? props.actions.take.error.value) as Problem | null)
const counts = computed(() => {
  const rows = reading.value?.rows ?? []
  return { new: rows.filter((row) => row.change === 'new').length, changed: rows.filter((row) => row.change === 'changed').length, same: rows.filter((row) => row.change === 'same').length }
})
const hints = {
  manifests: 'Objects of the Kubernetes API, YAML or JSON, several documents: Deployment, StatefulSet, DaemonSet.',
  csv: 'First line: namespace,name,replicas,cpu,memory; optional kind, zone_skew, most_per_node, node_labels, owner, promised, labels, interruptible.',
}
watch([text, format], () => props.actions.preview.reset())

async function load(event: Event): Promise<void> {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (!file) return
  if (file.size > 5 * 2 ** 20) {
    message.error(`${file.name} has ${(file.size / 2 ** 20).toFixed(1)} MiB; at most 5 MiB are read. Split it, or leave out what is no workload.`)
    return
  }
  if (file.name.endsWith('.csv')) format.value = 'csv'
  text.value = await file.text()
  read()
}
function read(): void {
  props.actions.preview.mutate({ format: format.value, text: text.value })
}
function take(): void {
  props.actions.take.mutate({ format: format.value, text: text.value }, {
    onSuccess: (taken) => {
      message.success(`${taken.rows} rows taken; one undo takes them back.`)
      props.actions.preview.reset()
      emit('done')
    },
  })
}
</script>

<template>
  <section class="import cut" aria-label="import demand">
    <div class="source">
      <NRadioGroup v-model:value="format" size="small" name="format">
        <NRadioButton value="manifests">manifests</NRadioButton>
        <NRadioButton value="csv">CSV</NRadioButton>
      </NRadioGroup>
      <input type="file" accept=".yaml,.yml,.json,.csv,.txt" aria-label="file to import" @change="load">
      <p class="quiet">{{ hints[format] }}</p>
      <NInput v-model:value="text" type="textarea" :rows="9" class="mono" placeholder="paste here" :input-props="{ 'aria-label': 'text to import', spellcheck: false }" />
      <NButton size="small" :disabled="!text.trim()" :loading="actions.preview.isPending.value" @click="read">Read it</NButton>
    </div>
    <div class="found">
      <FaultList v-if="error" :title="error.message" :faults="error.faults" />
      <template v-if="reading">
        <FaultList v-if="reading.faults.length" :title="`${plural(reading.faults.length, 'fault')}: nothing can be taken until mended`" :faults="reading.faults" />
        <h2 v-else>{{ counts.new }} new, {{ counts.changed }} changed, {{ counts.same }} as they are</h2>
        <div class="scroll">
          <table v-if="reading.rows.length">
            <tbody>
              <tr v-for="row in reading.rows" :key="`${row.namespace}/${row.name}`"><td>{{ row.namespace }}/{{ row.name }}</td><td class="quiet">{{ row.kind }}</td><td class="number">{{ row.replicas }} × {{ row.cpu }}, {{ row.memory }}</td><td :class="{ madder: row.change === 'changed' }">{{ row.change }}</td></tr>
            </tbody>
          </table>
          <h3 v-if="reading.ignored.length">ignored</h3>
          <p v-for="(entry, place) in reading.ignored" :key="place" class="quiet"><span class="mono">line {{ entry.line }}</span> {{ entry.what }}: {{ entry.why }}</p>
        </div>
        <NButton size="small" type="primary" :disabled="reading.faults.length > 0 || !reading.rows.length" :loading="actions.take.isPending.value" @click="take">Take {{ plural(reading.rows.length, 'row') }}</NButton>
      </template>
      <p v-else-if="!error" class="quiet">What was read, every fault with its line, and what was ignored and why will stand here. Nothing is stored before you take it.</p>
    </div>
  </section>
</template>

<style scoped>
.import { display: grid; grid-template-columns: 1fr 1.2fr; gap: 18px; padding: 14px; max-height: 62%; min-height: 320px; }
.source, .found { display: grid; gap: 8px; align-content: start; min-height: 0; justify-items: start; }
.source > *, .found > * { width: 100%; }
.source :deep(.n-button), .found :deep(.n-button) { width: auto; }
.found { grid-template-rows: auto 1fr auto; }
input[type="file"]::file-selector-button { font: inherit; border: 1px solid var(--line); background: var(--paper); color: var(--ink); padding: 3px 10px; margin-right: 10px; }
.scroll { overflow: auto; max-height: 260px; }
</style>
