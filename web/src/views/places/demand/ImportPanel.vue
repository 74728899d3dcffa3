<script setup lang="ts">
import { NButton, NCheckbox, NInput, NProgress, NRadioButton, NRadioGroup, useMessage } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import type { BenchActions } from '../../../api/bench'
import { Problem, type Schemas } from '../../../api/client'
import { large, stopReading } from '../../../api/texts'
import { plural } from '../../../domain/format'
import { SAMPLES } from '../../../domain/samples'
import FaultList from '../../../ui/FaultList.vue'
import ColumnMapping from './ColumnMapping.vue'

/** Read a text, map its columns, show what it would do to the sheet, and take it: all of it or nothing. */
const props = defineProps<{ actions: BenchActions; study: number }>()
const emit = defineEmits<{ done: [] }>()
const message = useMessage()
type Source = Schemas['ImportIn']
const format = ref<Source['format']>('manifests')
const text = ref('')
const origin = ref('')
const mapped = ref<Source['mapped']>({ columns: {}, units: {}, fixed: {} })
const removeGone = ref(false)
const reading = computed(() => props.actions.preview.data.value)
const error = computed(() => (props.actions.preview.error.value ?? props.actions.take.error.value) as Problem | null)
const count = (change: string) => (reading.value?.rows ?? []).filter((row) => row.change === change).length
const rows = computed(() => [...(reading.value?.rows ?? [])].sort((a, b) => order.indexOf(a.change) - order.indexOf(b.change)))
const order = ['gone', 'changed', 'new', 'same']
const takes = computed(() => count('new') + count('changed') + count('same'))
const hints: Record<Source['format'], string> = {
  manifests:
    'Objects of the Kubernetes API, YAML or JSON, several documents or a List: workloads, pods, autoscalers, disruption budgets, claims; with Nodes it is the listing of a running cluster.',
  compose: 'A file of the Compose specification: services with deploy.replicas, resources, placement, scale.',
  csv: 'A spreadsheet: paste its cells or give a CSV with comma, semicolon or tab. Other headings than ours are mapped in the next step.',
}
watch(
  [text, format],
  () => (props.actions.preview.reset(), props.actions.take.reset(), (mapped.value = { columns: {}, units: {}, fixed: {} })),
)

const dropping = ref(false)
const SEVERAL = 300
const shows = ref(SEVERAL)

function kindOf(name: string, content: string): Source['format'] {
  return /\.(csv|tsv)$/.test(name) ? 'csv' : /^services:/m.test(content) ? 'compose' : 'manifests'
}
/** Read files that were chosen or dropped: manifests together, as documents of one text; of other kinds one at a time. */
async function load(files: FileList | null | undefined): Promise<void> {
  const chosen = [...(files ?? [])].sort((a, b) => a.name.localeCompare(b.name, 'en'))
  if (!chosen.length) return
  const size = chosen.reduce((sum, file) => sum + file.size, 0)
  if (size > 20 * 2 ** 20) {
    message.error(
      `${chosen.length > 1 ? 'These files have' : `${chosen[0]?.name} has`} ${(size / 2 ** 20).toFixed(1)} MiB; at most 20 MiB are read. Split it, or leave out what is no workload.`,
    )
    return
  }
  const texts = await Promise.all(chosen.map((file) => file.text()))
  const kinds = new Set(chosen.map((file, place) => kindOf(file.name, texts[place] ?? '')))
  if (chosen.length > 1 && (kinds.size > 1 || !kinds.has('manifests'))) {
    message.error('Several files are read together where all of them are manifests; bring a Compose file or a spreadsheet in alone.')
    return
  }
  use(
    [...kinds][0] ?? 'manifests',
    texts.join('\n---\n'),
    chosen
      .map((file) => file.name)
      .join(', ')
      .slice(0, 200),
  )
}
function use(kind: Source['format'], content: string, name: string): void {
  format.value = kind
  text.value = content
  origin.value = name
  shows.value = SEVERAL
  setTimeout(read)
}
function drop(event: DragEvent): void {
  dropping.value = false
  void load(event.dataTransfer?.files)
}
function source(): Source {
  return { format: format.value, text: text.value, origin: origin.value || 'pasted', mapped: mapped.value, remove_gone: removeGone.value }
}
function read(): void {
  props.actions.preview.mutate(source())
}
function map(next: Source['mapped']): void {
  mapped.value = next
  read()
}
function take(): void {
  props.actions.take.mutate(source(), {
    onSuccess: (taken) => {
      message.success(`${taken.rows} rows taken; one undo takes them back.`)
      props.actions.preview.reset()
      emit('done')
    },
  })
}
</script>

<template>
  <section
    class="import cut"
    :class="{ dropping }"
    aria-label="import demand"
    @dragover.prevent="dropping = true"
    @dragleave.self="dropping = false"
    @drop.prevent="drop"
  >
    <div class="source">
      <NRadioGroup v-model:value="format" size="small" name="format">
        <NRadioButton value="manifests">manifests</NRadioButton><NRadioButton value="compose">Compose</NRadioButton
        ><NRadioButton value="csv">spreadsheet</NRadioButton>
      </NRadioGroup>
      <input
        type="file"
        accept=".yaml,.yml,.json,.csv,.tsv,.txt"
        multiple
        aria-label="files to import"
        @change="load(($event.target as HTMLInputElement).files)"
      />
      <p class="quiet">{{ hints[format] }}</p>
      <NInput
        v-model:value="text"
        type="textarea"
        :rows="7"
        class="mono"
        placeholder="paste here, or drop files"
        :input-props="{ 'aria-label': 'text to import', spellcheck: false }"
      />
      <NButton size="small" :disabled="!text.trim()" :loading="actions.preview.isPending.value" @click="read">Read it</NButton>
    </div>
    <div class="found">
      <div v-if="large" class="act" role="status">
        <NProgress type="line" :percentage="Math.round(100 * large.share)" :show-indicator="false" :height="6" />
        <span>{{ large.status === 'queued' ? 'waits for a worker' : `${large.phase}, ${Math.round(100 * large.share)} %` }}</span>
        <NButton size="small" @click="stopReading(study)">Stop</NButton>
      </div>
      <FaultList v-if="error" :title="error.message" :faults="error.faults" />
      <template v-if="reading">
        <FaultList
          v-if="reading.faults.length"
          :title="`${plural(reading.faults.length, 'fault')}: fix them first, nothing is taken until then`"
          :faults="reading.faults"
        />
        <h2 v-else>
          {{ count('new') }} new, {{ count('changed') }} changed, {{ count('same') }} as they are<template v-if="count('gone')"
            >, <span class="madder">{{ count('gone') }} gone</span></template
          >
        </h2>
        <div class="scroll">
          <ColumnMapping v-if="reading.headings" :headings="reading.headings" :mapped="mapped" @map="map" />
          <table v-if="rows.length">
            <tbody>
              <tr v-for="row in rows.slice(0, shows)" :key="`${row.namespace}/${row.name}`" :class="row.change">
                <td class="short">{{ row.namespace }}/{{ row.name }}</td>
                <td class="quiet short">{{ row.kind }}</td>
                <td class="number short">{{ row.replicas }} × {{ row.cpu }}, {{ row.memory }}</td>
                <td :class="{ madder: row.change === 'changed' || row.change === 'gone' }">
                  {{ row.change
                  }}<span v-for="cell in row.cells" :key="cell.column" class="quiet cell"
                    >{{ cell.column.replaceAll('_', ' ') }}: {{ cell.before || 'empty' }} → {{ cell.after || 'empty' }}</span
                  >
                </td>
              </tr>
            </tbody>
          </table>
          <p v-if="rows.length > shows">
            <button type="button" class="plain-button madder" @click="shows += SEVERAL">
              Show {{ Math.min(SEVERAL, rows.length - shows) }} more of {{ rows.length - shows }}
            </button>
          </p>
          <p v-if="reading.running_nodes">
            <strong>{{ reading.running_nodes }} nodes</strong> with where each pod runs: they become “Runs now”.
          </p>
          <p v-if="reading.understood.length" class="quiet">
            Understood: {{ reading.understood.map((entry) => `${entry.count} × ${entry.what}`).join('; ') }}.
          </p>
          <details v-if="reading.fields.length">
            <summary>{{ plural(reading.fields.length, 'field') }} understood</summary>
            <p class="quiet">
              {{ reading.fields.map((entry) => (entry.count > 1 ? `${entry.what} (${entry.count})` : entry.what)).join('; ') }}
            </p>
          </details>
          <h3 v-if="reading.ignored.length">Ignored</h3>
          <p v-for="(entry, place) in reading.ignored" :key="place" class="quiet">
            <span v-if="entry.line" class="mono">line {{ entry.line }}</span> {{ entry.what
            }}<template v-if="entry.count > 1"> ({{ entry.count }} times)</template>: {{ entry.why }}
          </p>
        </div>
        <div class="act">
          <NButton
            size="small"
            type="primary"
            :disabled="reading.faults.length > 0 || (!takes && !reading.running_nodes)"
            :loading="actions.take.isPending.value"
            @click="take"
            >Take {{ plural(takes, 'row') }}</NButton
          >
          <NCheckbox v-if="count('gone')" v-model:checked="removeGone"
            >remove the {{ count('gone') }} that are gone from the sheet</NCheckbox
          >
        </div>
      </template>
      <p v-else-if="!error && !large" class="quiet">
        What was read, every fault with its line, what is new, changed or gone, and what was ignored and why will stand here. Nothing is
        stored before you take it. To try it:
        <template v-for="(sample, place) in SAMPLES" :key="sample.name"
          >{{ place ? ', ' : ''
          }}<button type="button" class="plain-button madder" @click="use(kindOf(sample.name, sample.text), sample.text, sample.name)">
            {{ sample.words }}
          </button></template
        >.
      </p>
    </div>
  </section>
</template>

<style scoped>
.import {
  display: grid;
  grid-template-columns: 1fr 1.5fr;
  gap: 18px;
  padding: 14px;
  max-height: 66%;
  min-height: 340px;
  margin-top: 8px;
  flex: none;
}
.source,
.found {
  display: grid;
  gap: 8px;
  align-content: start;
  min-height: 0;
  justify-items: start;
}
.source > *,
.found > * {
  width: 100%;
}
.source :deep(.n-button),
.found :deep(.n-button) {
  width: auto;
}
.found {
  grid-template-rows: auto 1fr auto;
}
.dropping {
  outline: 2px dashed var(--madder);
  outline-offset: -4px;
}
input[type='file']::file-selector-button {
  font: inherit;
  border: 1px solid var(--line);
  background: var(--paper);
  color: var(--ink);
  padding: 3px 10px;
  margin-right: 10px;
}
.scroll {
  overflow: auto;
  min-height: 0;
}
td {
  padding: 2px 5px;
}
.scroll p {
  font-size: 12px;
  margin-top: 4px;
}
.scroll details {
  font-size: 12px;
}
.scroll summary {
  cursor: pointer;
}
.short {
  white-space: nowrap;
}
.cell {
  margin-left: 10px;
}
.gone td:first-child {
  text-decoration: line-through;
}
.act {
  display: flex;
  gap: 14px;
  align-items: center;
}
.act span {
  white-space: nowrap;
}
</style>
