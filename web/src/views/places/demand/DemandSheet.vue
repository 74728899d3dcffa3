<script setup lang="ts">
import { nextTick, ref, watch } from 'vue'
import type { Fault, Workload } from '../../../api/client'

/** The demand sheet: edit in place, arrow keys, paste a block from a spreadsheet. */
const props = defineProps<{ rows: Workload[]; faults: Fault[]; mayEdit: boolean; saved: number }>()
const emit = defineEmits<{ edit: [cells: Record<string, Record<string, string>>]; remove: [key: string] }>()

const columns = [
  { name: 'namespace', title: 'namespace', width: 104 },
  { name: 'name', title: 'name', width: 132 },
  { name: 'kind', title: 'kind', width: 84 },
  { name: 'replicas', title: 'replicas', width: 64, number: true },
  { name: 'cpu', title: 'CPU', width: 66, number: true },
  { name: 'memory', title: 'memory', width: 78, number: true },
  { name: 'zone_skew', title: 'zone skew', width: 72, number: true },
  { name: 'most_per_node', title: 'most a node', width: 84, number: true },
  { name: 'node_labels', title: 'node labels', width: 190 },
  { name: 'owner', title: 'owner', width: 92 },
  { name: 'promised', title: 'promised', width: 68 },
  { name: 'interruptible', title: 'interruptible %', width: 96, number: true },
  { name: 'labels', title: 'labels', width: 150 },
] as const
type Column = (typeof columns)[number]['name']
const sheet = ref<HTMLElement | null>(null)
/** What stands in the field being typed in: a refresh of the bench meanwhile must not write over it. */
const typing = ref<{ place: string; value: string } | null>(null)
/** What was typed and refused stays where it was typed. */
const kept = ref<Record<string, string>>({})

watch(() => props.saved, () => (kept.value = {}))

function text(row: Workload, column: Column): string {
  const place = `${row.key}.${column}`
  if (typing.value?.place === place) return typing.value.value
  return kept.value[place] ?? stored(row, column)
}
function stored(row: Workload, column: Column): string {
  const value = row[column]
  if (value === null) return ''
  return typeof value === 'boolean' ? (value ? 'yes' : 'no') : String(value)
}
function wrong(row: Workload, column: Column): Fault | undefined {
  return props.faults.find((fault) => fault.path === `${row.key}.${column}`)
}
function commit(row: Workload, column: Column, value: string): void {
  typing.value = null
  if (value === text(row, column)) return
  kept.value = { ...kept.value, [`${row.key}.${column}`]: value }
  send(row.key, { [column]: value })
}
/** Everything typed on the row that was refused before goes along. */
function send(key: string, cells: Record<string, string>): void {
  const before = Object.entries(kept.value).filter(([place]) => place.startsWith(`${key}.`)).map(([place, value]) => [place.slice(key.length + 1), value] as const)
  emit('edit', { [key]: { ...Object.fromEntries(before), ...cells } })
}
async function move(event: KeyboardEvent, line: number, place: number): Promise<void> {
  const field = event.target as HTMLInputElement
  const steps: Record<string, [number, number]> = { ArrowUp: [-1, 0], ArrowDown: [1, 0], Enter: [1, 0] }
  if (event.key === 'ArrowLeft' && field.selectionEnd === 0) steps.ArrowLeft = [0, -1]
  if (event.key === 'ArrowRight' && field.selectionStart === field.value.length) steps.ArrowRight = [0, 1]
  const step = steps[event.key]
  if (!step) return
  event.preventDefault()
  field.blur()
  await nextTick()
  sheet.value?.querySelector<HTMLInputElement>(`[data-cell="${line + step[0]}.${place + step[1]}"]`)?.focus()
}
function paste(event: ClipboardEvent, line: number, place: number): void {
  const block = event.clipboardData?.getData('text/plain') ?? ''
  if (!/[\t\n]/.test(block.trimEnd())) return
  event.preventDefault()
  const edits: Record<string, Record<string, string>> = {}
  block.trimEnd().split(/\r?\n/).forEach((text, down) => {
    const row = props.rows[line + down]
    if (!row) return
    text.split('\t').forEach((value, right) => {
      const column = columns[place + right]
      if (column) edits[row.key] = { ...edits[row.key], [column.name]: value }
    })
  })
  emit('edit', edits)
}
</script>

<template>
  <div ref="sheet" class="sheet">
    <table>
      <thead>
        <tr><th v-for="column in columns" :key="column.name" :class="{ number: 'number' in column }" :style="{ width: `${column.width}px` }">{{ column.title }}</th><th v-if="mayEdit" class="last"><span class="unseen">remove</span></th></tr>
      </thead>
      <tbody>
        <tr v-for="(row, line) in rows" :key="row.key">
          <td v-for="(column, place) in columns" :key="column.name" :class="{ wrong: wrong(row, column.name) }" :title="wrong(row, column.name) ? `${wrong(row, column.name)?.reason} ${wrong(row, column.name)?.mend}` : undefined">
            <input
              :value="text(row, column.name)" :class="{ number: 'number' in column }" :readonly="!mayEdit" :data-cell="`${line}.${place}`"
              :aria-label="`${column.title} of ${row.namespace}/${row.name}`" :aria-invalid="Boolean(wrong(row, column.name))" spellcheck="false"
              @focus="($event.target as HTMLInputElement).select()" @input="typing = { place: `${row.key}.${column.name}`, value: ($event.target as HTMLInputElement).value }" @change="commit(row, column.name, ($event.target as HTMLInputElement).value)"
              @keydown="move($event, line, place)" @paste="paste($event, line, place)"
            >
          </td>
          <td v-if="mayEdit" class="last"><button type="button" class="plain-button quiet" :aria-label="`remove ${row.namespace}/${row.name}`" @click="emit('remove', row.key)">×</button></td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.sheet { overflow: auto; flex: 1; min-height: 0; }
table { table-layout: fixed; min-width: 1300px; }
thead th { position: sticky; top: 0; background: var(--paper); z-index: 1; }
th, td { padding: 0; }
th { padding: 4px 6px; }
input { width: 100%; border: 0; background: none; color: inherit; font: inherit; padding: 4px 6px; font-variant-numeric: tabular-nums; }
input:focus { outline: 2px solid var(--madder); outline-offset: -2px; background: var(--panel); }
.wrong { background: color-mix(in srgb, var(--madderWash) 45%, transparent); }
tbody tr:hover { background: var(--wash); }
.last { width: 26px; text-align: center; }
</style>
