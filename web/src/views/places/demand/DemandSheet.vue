<script setup lang="ts">
import { NVirtualList, useMessage, type VirtualListInst } from 'naive-ui'
import { computed, nextTick, ref, watch } from 'vue'
import type { Fault, Workload } from '../../../api/client'
import { gibibytes, percent, plural, vcpus } from '../../../domain/format'
import {
  blockOf,
  cellText,
  columns,
  copied,
  filledDown,
  lines,
  pasted,
  sorted,
  type Column,
  type GroupLine,
  type Grouping,
  type RowLine,
  type Sorting,
} from '../../../domain/sheet'
import SheetHead from './SheetHead.vue'
import { useWidths } from './widths'

/**
 * The demand sheet: one tab stop, a cell at a time, a block with Shift; typing or Enter edits. A cell shows what is stored, or what was
 * typed and is not stored yet or was refused. Only the rows in sight are drawn, so the focus is the sheet's and not a cell's.
 */
const props = defineProps<{
  rows: Workload[]
  faults: Fault[]
  mayEdit: boolean
  saved: number
  grouping: Grouping
  level: string
  chosen: string | null
}>()
const emit = defineEmits<{
  edit: [cells: Record<string, Record<string, string>>]
  remove: [key: string]
  choose: [key: string]
  leave: []
}>()

const message = useMessage()
const list = ref<VirtualListInst | null>(null)
const sheet = ref<HTMLElement | null>(null)
const field = ref<HTMLInputElement | null>(null)
const folded = ref(new Set<string>())
const sorting = ref<Sorting | null>(null)
const scrolled = ref(0)
/** What was typed: not stored yet, or refused; stored values take its place once all that was sent has come back. */
const kept = ref<Record<string, string>>({})
const at = ref<[number, number]>([0, 0])
const from = ref<[number, number] | null>(null)
const editing = ref<string | null>(null)
const { widths, template, width, resize } = useWidths(computed(() => props.mayEdit))

const items = computed(() => lines(sorted(props.rows, sorting.value), props.grouping, props.level, folded.value))
const shown = computed(() => items.value.flatMap((item) => (item.kind === 'row' ? [item.row] : [])))
const block = computed(() => blockOf(from.value ?? at.value, at.value))
const here = computed(() => shown.value[at.value[0]])
const column = computed(() => columns[at.value[1]] ?? columns[0])
const said = computed(() => (here.value ? `${column.value.title} of ${here.value.namespace}/${here.value.name}` : 'demand sheet'))

watch(
  () => props.saved,
  () => (kept.value = {}),
)
watch(
  () => props.grouping,
  () => list.value?.scrollTo({ top: 0 }),
)
watch(
  () => shown.value.length,
  (count) => (at.value = [Math.max(0, Math.min(at.value[0], count - 1)), at.value[1]]),
)

function text(row: Workload, name: Column): string {
  return kept.value[`${row.key}.${name}`] ?? cellText(row, name)
}
function wrong(row: Workload, name: Column): Fault | undefined {
  return props.faults.find((fault) => fault.path === `${row.key}.${name}`)
}
function store(row: Workload, name: Column, value: string): void {
  if (value === text(row, name)) return
  kept.value = { ...kept.value, [`${row.key}.${name}`]: value }
  // Everything typed on the row that was refused before goes along.
  const before = Object.entries(kept.value)
    .filter(([place]) => place.startsWith(`${row.key}.`))
    .map(([place, typed]) => [place.slice(row.key.length + 1), typed])
  emit('edit', { [row.key]: Object.fromEntries(before) })
}
function selected(line: number, place: number): boolean {
  const area = block.value
  return from.value !== null && line >= area.top && line <= area.bottom && place >= area.left && place <= area.right
}
function go(line: number, place: number, extend = false): void {
  from.value = extend ? (from.value ?? at.value) : null
  at.value = [Math.min(Math.max(line, 0), shown.value.length - 1), Math.min(Math.max(place, 0), columns.length - 1)]
  const index = items.value.findIndex((item) => item.kind === 'row' && item.line === at.value[0])
  if (index >= 0) list.value?.scrollTo({ index, debounce: true })
  if (here.value && here.value.key !== props.chosen) emit('choose', here.value.key)
}
async function edit(value?: string): Promise<void> {
  if (!props.mayEdit || !here.value) return
  from.value = null
  editing.value = value ?? text(here.value, column.value.name)
  await nextTick()
  field.value?.focus()
  if (value === undefined) field.value?.select()
}
function end(keep: boolean): void {
  const value = editing.value
  editing.value = null
  if (keep && value !== null && here.value) store(here.value, column.value.name, value)
  sheet.value?.focus()
}
const steps: Record<string, [number, number]> = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
  PageDown: [20, 0],
  PageUp: [-20, 0],
  Home: [0, -99],
  End: [0, 99],
}

function inField(event: KeyboardEvent): void {
  event.stopPropagation()
  const by = event.shiftKey ? -1 : 1
  const next = ({ Escape: [0, 0], Enter: [by, 0], Tab: [0, by], ArrowUp: [-1, 0], ArrowDown: [1, 0] } as Record<string, [number, number]>)[
    event.key
  ]
  if (!next) return
  event.preventDefault()
  end(event.key !== 'Escape')
  go(at.value[0] + next[0], at.value[1] + next[1])
}
function keyed(event: KeyboardEvent): void {
  const [line, place] = at.value
  const step = steps[event.key]
  if (step && !event.altKey) go(line + step[0], place + step[1], event.shiftKey)
  else if (event.ctrlKey && event.key.toLowerCase() === 'd' && props.mayEdit) emit('edit', filledDown(shown.value, block.value))
  else if ((event.key === 'Delete' || event.key === 'Backspace') && props.mayEdit) empty()
  else if (event.key === 'Enter' || event.key === 'F2') void edit()
  else if (event.key === 'Escape') leave(event)
  else if (event.key === 'Tab') return void (from.value = null)
  else if (event.key.length === 1 && !event.ctrlKey && !event.altKey && !event.metaKey) void edit(event.key)
  else return
  event.preventDefault()
  if (event.key !== 'Escape') event.stopPropagation()
}
/** Undo what Esc can: what was refused here, the block; then the bench is asked, and at last the sheet is left. */
function leave(event: KeyboardEvent): void {
  const refused = here.value && wrong(here.value, column.value.name) ? `${here.value.key}.${column.value.name}` : null
  if (refused && refused in kept.value) kept.value = Object.fromEntries(Object.entries(kept.value).filter(([key]) => key !== refused))
  else if (from.value) from.value = null
  else emit('leave')
  event.stopPropagation()
}
function empty(): void {
  const area = block.value
  const names = columns.slice(area.left, area.right + 1).map((entry) => entry.name)
  emit(
    'edit',
    Object.fromEntries(
      shown.value.slice(area.top, area.bottom + 1).map((row) => [row.key, Object.fromEntries(names.map((name) => [name, '']))]),
    ),
  )
}
function press(event: MouseEvent, line: number, place: number): void {
  if (editing.value !== null) end(true)
  go(line, place, event.shiftKey)
  sheet.value?.focus()
}
function remove(row: Workload): void {
  emit('remove', row.key)
  message.info(`${row.namespace}/${row.name} is removed; Ctrl+Z brings it back.`)
  sheet.value?.focus()
}
function copy(event: ClipboardEvent): void {
  if (editing.value !== null) return
  event.preventDefault()
  event.clipboardData?.setData('text/plain', copied(shown.value, block.value))
}
function paste(event: ClipboardEvent): void {
  if (editing.value !== null || !props.mayEdit) return
  event.preventDefault()
  const found = pasted(event.clipboardData?.getData('text/plain') ?? '', shown.value, block.value.top, block.value.left, () =>
    crypto.randomUUID(),
  )
  if (found.beyond > 0) message.warning(`${found.beyond} of the pasted columns lie beyond the sheet’s last one and were left out.`)
  emit('edit', found.edits)
}
function fold(title: string): void {
  folded.value = new Set(folded.value.has(title) ? [...folded.value].filter((entry) => entry !== title) : [...folded.value, title])
}
function sort(name: Column): void {
  sorting.value = sorting.value?.column !== name ? { column: name, down: false } : sorting.value.down ? null : { column: name, down: true }
}
/** Stand on the row of a key, once it is there. */
async function stand(key: string): Promise<void> {
  for (let tries = 0; tries < 40 && !shown.value.some((row) => row.key === key); tries += 1)
    await new Promise((resolve) => setTimeout(resolve, 100))
  const line = shown.value.findIndex((row) => row.key === key)
  if (line >= 0) go(line, 1)
  sheet.value?.focus()
}
defineExpose({ stand, standsOn: () => here.value?.key ?? null, focus: () => sheet.value?.focus() })
</script>

<template>
  <div
    ref="sheet"
    class="sheet"
    role="grid"
    tabindex="0"
    data-sheet
    :aria-rowcount="shown.length + 1"
    :aria-colcount="columns.length"
    aria-label="demand sheet"
    :aria-activedescendant="`cell-${at[0]}-${at[1]}`"
    @keydown="keyed"
    @copy="copy"
    @paste="paste"
  >
    <SheetHead
      :template="template"
      :width="width"
      :scrolled="scrolled"
      :sorting="sorting"
      :may-edit="mayEdit"
      @sort="sort"
      @resize="resize"
    />
    <NVirtualList
      ref="list"
      class="rows"
      :items="items"
      :item-size="26"
      :padding-bottom="20"
      @scroll="scrolled = ($event.target as HTMLElement).scrollLeft"
    >
      <template #default="{ item }: { item: GroupLine | RowLine }">
        <button
          v-if="item.kind === 'group'"
          type="button"
          tabindex="-1"
          class="plain-button line group"
          :aria-expanded="!item.folded"
          :style="{ width }"
          @click="fold(item.title)"
        >
          <svg width="9" height="12" viewBox="0 0 9 12" aria-hidden="true">
            <path :d="item.folded ? 'M1 1l6 5-6 5z' : 'M0 3l8 0-4 6z'" />
          </svg>
          <strong>{{ item.title }}</strong><span>{{ plural(item.sums.workloads, 'workload') }} · {{ item.sums.replicas }} replicas</span>
          <span class="share"><i :style="{ width: `${100 * item.cpuShare}%` }" /></span
          ><span>{{ vcpus(item.sums.cpu) }} vCPU, {{ percent(item.cpuShare, 0) }}</span>
          <span class="share"><i class="soft" :style="{ width: `${100 * item.memoryShare}%` }" /></span
          ><span>{{ gibibytes(item.sums.memory) }} GiB, {{ percent(item.memoryShare, 0) }}</span>
        </button>
        <div
          v-else
          class="line row"
          role="row"
          :aria-rowindex="item.line + 2"
          :class="{ chosen: item.key === chosen }"
          :style="{ gridTemplateColumns: template, width }"
        >
          <span
            v-for="(entry, place) in columns"
            :id="`cell-${item.line}-${place}`"
            :key="entry.name"
            role="gridcell"
            class="cell"
            :data-cell="`${item.line}.${place}`"
            :aria-label="`${entry.title} of ${item.row.namespace}/${item.row.name}: ${text(item.row, entry.name)}`"
            :aria-selected="selected(item.line, place)"
            :aria-invalid="Boolean(wrong(item.row, entry.name))"
            :class="{
              number: 'number' in entry,
              wrong: wrong(item.row, entry.name),
              selected: selected(item.line, place),
              at: item.line === at[0] && place === at[1],
              stays: place < 2,
              sized: item.row.sized && (entry.name === 'cpu' || entry.name === 'memory'),
            }"
            :style="place < 2 ? { left: place ? `${widths[0]}px` : '0' } : undefined"
            :title="
              wrong(item.row, entry.name)
                ? `${wrong(item.row, entry.name)?.reason} ${wrong(item.row, entry.name)?.fix}`
                : text(item.row, entry.name)
            "
            @mousedown.prevent="press($event, item.line, place)"
            @dblclick="edit()"
          >
            <input
              v-if="editing !== null && item.line === at[0] && place === at[1]"
              :ref="(element) => (field = element as HTMLInputElement | null)"
              v-model="editing"
              :aria-label="said"
              spellcheck="false"
              autocomplete="off"
              @mousedown.stop
              @keydown="inField"
              @blur="editing !== null && end(true)"
            />
            <template v-else>{{ text(item.row, entry.name) }}</template>
          </span>
          <span v-if="mayEdit" role="gridcell"
            ><button
              type="button"
              tabindex="-1"
              class="plain-button quiet remove"
              :aria-label="`remove ${item.row.namespace}/${item.row.name}`"
              @click="remove(item.row)"
            >
              ×
            </button></span
          >
        </div>
      </template>
    </NVirtualList>
  </div>
</template>

<style scoped>
.sheet {
  overflow: hidden;
  flex: 1;
  min-height: 0;
  min-width: 0;
  display: grid;
  grid-template-rows: 26px 1fr;
  outline: none;
}
.rows {
  min-height: 0;
  height: 100%;
}
.line {
  display: grid;
  align-items: center;
  height: 26px;
  border-bottom: 1px solid var(--line);
}
.group {
  grid-template-columns: 14px 150px 190px 60px 112px 60px 112px;
  gap: 8px;
  white-space: nowrap;
  background: var(--wash);
  padding: 0 6px;
  font-variant-numeric: tabular-nums;
}
.group path {
  fill: var(--quiet);
}
.share {
  height: 6px;
  background: var(--paper);
}
.share i {
  display: block;
  height: 6px;
  background: var(--ink);
}
.share .soft {
  background: var(--quiet);
}
.cell {
  height: 25px;
  line-height: 25px;
  padding: 0 6px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  font-variant-numeric: tabular-nums;
  cursor: cell;
  user-select: none;
}
.stays {
  position: sticky;
  z-index: 1;
  background: var(--paper);
}
.cell:has(input) {
  padding: 0;
  overflow: visible;
}
.cell input {
  width: 100%;
  height: 25px;
  border: 0;
  padding: 0 6px;
  font: inherit;
  color: inherit;
  background: var(--panel);
  outline: 2px solid var(--madder);
  outline-offset: -2px;
}
.number input {
  text-align: right;
}
.at {
  box-shadow: inset 0 0 0 1px var(--quiet);
}
.sheet:focus-within .at {
  box-shadow: inset 0 0 0 2px var(--madder);
}
.sized {
  text-decoration: underline var(--petrol) 2px;
  text-underline-offset: 4px;
}
.wrong {
  background: color-mix(in srgb, var(--madderWash) 45%, var(--paper));
}
.selected {
  background: color-mix(in srgb, var(--petrol) 16%, var(--paper));
}
.row:hover .cell:not(.selected, .wrong) {
  background: var(--wash);
}
.row.chosen {
  box-shadow: inset 3px 0 0 var(--madder);
}
.remove {
  width: 100%;
  text-align: center;
}
</style>
