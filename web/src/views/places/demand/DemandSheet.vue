<script setup lang="ts">
import { NVirtualList, useMessage, type VirtualListInst } from 'naive-ui'
import { computed, nextTick, ref, watch } from 'vue'
import type { Fault, Workload } from '../../../api/client'
import { gibibytes, percent, plural, vcpus } from '../../../domain/format'
import { blockOf, cellText, columns, copied, filledDown, lines, pasted, type Column, type GroupLine, type Grouping, type RowLine } from '../../../domain/sheet'

/** The demand sheet: edit in place, arrow keys, select a block, fill, copy, paste; only the rows in sight are drawn. */
const props = defineProps<{ rows: Workload[]; faults: Fault[]; mayEdit: boolean; saved: number; grouping: Grouping; level: string; chosen: string | null }>()
const emit = defineEmits<{ edit: [cells: Record<string, Record<string, string>>]; remove: [key: string]; choose: [key: string] }>()

const message = useMessage()
const list = ref<VirtualListInst | null>(null)
const sheet = ref<HTMLElement | null>(null)
const folded = ref(new Set<string>())
/** What stands in the field being typed in: a refresh of the bench meanwhile must not write over it. */
const typing = ref<{ place: string; value: string } | null>(null)
/** What was typed and refused stays where it was typed. */
const kept = ref<Record<string, string>>({})
const from = ref<[number, number] | null>(null)
const to = ref<[number, number]>([0, 0])

const items = computed(() => lines(props.rows, props.grouping, props.level, folded.value))
const shown = computed(() => items.value.flatMap((item) => (item.kind === 'row' ? [item.row] : [])))
const template = computed(() => `${columns.map((column) => `${column.width}px`).join(' ')} ${props.mayEdit ? '26px' : ''}`)
const width = computed(() => `${columns.reduce((sum, column) => sum + column.width, props.mayEdit ? 26 : 0)}px`)
const block = computed(() => (from.value ? blockOf(from.value, to.value) : null))

watch(() => props.saved, () => (kept.value = {}))
watch([() => props.rows.length, () => props.grouping], () => list.value?.scrollTo({ top: 0 }))

function text(row: Workload, column: Column): string {
  const place = `${row.key}.${column}`
  if (typing.value?.place === place) return typing.value.value
  return kept.value[place] ?? cellText(row, column)
}
function wrong(row: Workload, column: Column): Fault | undefined {
  return props.faults.find((fault) => fault.path === `${row.key}.${column}`)
}
function commit(row: Workload, column: Column, value: string): void {
  typing.value = null
  if (value === text(row, column)) return
  kept.value = { ...kept.value, [`${row.key}.${column}`]: value }
  // Everything typed on the row that was refused before goes along.
  const before = Object.entries(kept.value).filter(([place]) => place.startsWith(`${row.key}.`)).map(([place, typed]) => [place.slice(row.key.length + 1), typed])
  emit('edit', { [row.key]: { ...Object.fromEntries(before), [column]: value } })
}
function selected(line: number, place: number): boolean {
  const area = block.value
  return area !== null && line >= area.top && line <= area.bottom && place >= area.left && place <= area.right
}
function enter(event: FocusEvent, line: number, place: number): void {
  ;(event.target as HTMLInputElement).select()
  to.value = [line, place]
  const row = shown.value[line]
  if (row && row.key !== props.chosen) emit('choose', row.key)
}
function press(event: MouseEvent, line: number, place: number): void {
  from.value = event.shiftKey ? (from.value ?? to.value) : null
  if (event.shiftKey) to.value = [line, place]
}
async function focus(line: number, place: number): Promise<void> {
  const index = items.value.findIndex((item) => item.kind === 'row' && item.line === line)
  if (index < 0) return
  list.value?.scrollTo({ index, debounce: true })
  await nextTick()
  await nextTick()
  sheet.value?.querySelector<HTMLInputElement>(`[data-cell="${line}.${place}"]`)?.focus()
}
const arrows: Record<string, [number, number]> = { ArrowUp: [-1, 0], ArrowDown: [1, 0], Enter: [1, 0], ArrowLeft: [0, -1], ArrowRight: [0, 1], PageDown: [20, 0], PageUp: [-20, 0] }
function keyed(event: KeyboardEvent, line: number, place: number): void {
  const field = event.target as HTMLInputElement
  if (event.ctrlKey && event.key.toLowerCase() === 'd' && props.mayEdit) {
    event.preventDefault()
    if (block.value) emit('edit', filledDown(shown.value, block.value))
    return
  }
  if (event.key === 'Delete' && block.value && props.mayEdit) {
    event.preventDefault()
    const area = block.value
    emit('edit', Object.fromEntries(shown.value.slice(area.top, area.bottom + 1).map((row) => [row.key, Object.fromEntries(columns.slice(area.left, area.right + 1).map((column) => [column.name, '']))])))
    return
  }
  const step = arrows[event.key]
  if (!step) return
  const whole = field.selectionStart === 0 && field.selectionEnd === field.value.length
  if (!event.shiftKey && event.key === 'ArrowLeft' && field.selectionEnd !== 0 && !whole) return
  if (!event.shiftKey && event.key === 'ArrowRight' && field.selectionStart !== field.value.length && !whole) return
  event.preventDefault()
  from.value = event.shiftKey && event.key !== 'Enter' ? (from.value ?? [line, place]) : null
  field.blur()
  void focus(Math.min(Math.max(line + step[0], 0), shown.value.length - 1), Math.min(Math.max(place + step[1], 0), columns.length - 1))
}
function copy(event: ClipboardEvent): void {
  if (!block.value) return
  event.preventDefault()
  event.clipboardData?.setData('text/plain', copied(shown.value, block.value))
}
function paste(event: ClipboardEvent, line: number, place: number): void {
  const typed = event.clipboardData?.getData('text/plain') ?? ''
  if (!props.mayEdit || !/[\t\n]/.test(typed.trimEnd())) return
  event.preventDefault()
  const found = pasted(typed, shown.value, line, place, () => crypto.randomUUID())
  if (found.beyond > 0) message.warning(`${found.beyond} of the pasted columns lie beyond the sheet’s last one and were left out.`)
  emit('edit', found.edits)
}
function fold(title: string): void {
  folded.value = new Set(folded.value.has(title) ? [...folded.value].filter((entry) => entry !== title) : [...folded.value, title])
}
</script>

<template>
  <div ref="sheet" class="sheet" role="grid" :aria-rowcount="shown.length + 1" aria-label="demand sheet" @copy="copy">
    <div class="line top" role="row" :style="{ gridTemplateColumns: template, width }">
      <span v-for="column in columns" :key="column.name" role="columnheader" :class="{ number: 'number' in column }">{{ column.title }}</span>
      <span v-if="mayEdit" role="columnheader"><span class="unseen">remove</span></span>
    </div>
    <NVirtualList ref="list" class="rows" :items="items" :item-size="26" :style="{ minWidth: width }" :padding-bottom="20">
      <template #default="{ item }: { item: GroupLine | RowLine }">
        <button v-if="item.kind === 'group'" type="button" class="plain-button line group" :aria-expanded="!item.folded" :style="{ width }" @click="fold(item.title)">
          <svg width="9" height="12" viewBox="0 0 9 12" aria-hidden="true"><path :d="item.folded ? 'M1 1l6 5-6 5z' : 'M0 3l8 0-4 6z'" /></svg>
          <strong>{{ item.title }}</strong><span>{{ plural(item.sums.workloads, 'workload') }} · {{ item.sums.replicas }} replicas</span>
          <span class="share"><i :style="{ width: `${100 * item.cpuShare}%` }" /></span><span>{{ vcpus(item.sums.cpu) }} vCPU, {{ percent(item.cpuShare, 0) }}</span>
          <span class="share"><i class="soft" :style="{ width: `${100 * item.memoryShare}%` }" /></span><span>{{ gibibytes(item.sums.memory) }} GiB, {{ percent(item.memoryShare, 0) }}</span>
        </button>
        <div v-else class="line row" role="row" :aria-rowindex="item.line + 2" :class="{ chosen: item.key === chosen }" :style="{ gridTemplateColumns: template, width }">
          <span v-for="(column, place) in columns" :key="column.name" role="gridcell" :class="{ wrong: wrong(item.row, column.name), selected: selected(item.line, place) }" :title="wrong(item.row, column.name) ? `${wrong(item.row, column.name)?.reason} ${wrong(item.row, column.name)?.mend}` : undefined">
            <input
              :value="text(item.row, column.name)" :class="{ number: 'number' in column, sized: item.row.sized && (column.name === 'cpu' || column.name === 'memory') }" :readonly="!mayEdit" :data-cell="`${item.line}.${place}`"
              :aria-label="`${column.title} of ${item.row.namespace}/${item.row.name}`" :aria-invalid="Boolean(wrong(item.row, column.name))" spellcheck="false" autocomplete="off"
              @mousedown="press($event, item.line, place)" @focus="enter($event, item.line, place)" @input="typing = { place: `${item.key}.${column.name}`, value: ($event.target as HTMLInputElement).value }" @change="commit(item.row, column.name, ($event.target as HTMLInputElement).value)"
              @keydown="keyed($event, item.line, place)" @paste="paste($event, item.line, place)"
            >
          </span>
          <span v-if="mayEdit" role="gridcell"><button type="button" class="plain-button quiet remove" :aria-label="`remove ${item.row.namespace}/${item.row.name}`" @click="emit('remove', item.key)">×</button></span>
        </div>
      </template>
    </NVirtualList>
  </div>
</template>

<style scoped>
.sheet { overflow-x: auto; overflow-y: hidden; flex: 1; min-height: 0; min-width: 0; display: grid; grid-template-rows: 26px 1fr; }
.rows { min-height: 0; height: 100%; }
.line { display: grid; align-items: center; height: 26px; border-bottom: 1px solid var(--line); }
.top { color: var(--quiet); font-size: 12px; } .top span { padding: 0 6px; white-space: nowrap; overflow: hidden; text-overflow: ellipsis; }
.group { grid-template-columns: 14px 150px 190px 60px 112px 60px 112px; gap: 8px; white-space: nowrap; background: var(--wash); padding: 0 6px; font-variant-numeric: tabular-nums; }
.group path { fill: var(--quiet); }
.share { height: 6px; background: var(--paper); } .share i { display: block; height: 6px; background: var(--ink); } .share .soft { background: var(--quiet); }
input { width: 100%; border: 0; background: none; color: inherit; font: inherit; padding: 3px 6px; font-variant-numeric: tabular-nums; text-overflow: ellipsis; }
input:focus { outline: 2px solid var(--madder); outline-offset: -2px; background: var(--panel); }
.sized { box-shadow: inset 0 -2px 0 var(--petrol); }
.wrong { background: color-mix(in srgb, var(--madderWash) 45%, transparent); } .selected { background: color-mix(in srgb, var(--petrol) 16%, transparent); }
.row:hover { background: var(--wash); } .row.chosen { box-shadow: inset 3px 0 0 var(--madder); background: var(--panel); }
.remove { width: 100%; text-align: center; }
</style>
