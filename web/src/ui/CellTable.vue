<script setup lang="ts">
import { NVirtualList } from 'naive-ui'
import { computed, nextTick, ref, useTemplateRef } from 'vue'
import { isBlank, lacking, pastedRows, type Cells, type Column } from '../domain/cells'

/**
 * A small table to type and paste into: arrows move, an empty row waits at the end, and what is typed stays until it is kept,
 * also where it is refused or a row lacks something.
 */
const props = defineProps<{
  /** What a screen reader calls it, and the cells by. */
  name: string
  columns: Column[]
  rows: Cells[]
  mayEdit: boolean
  /** Reads a text of several lines in place of cells in the order of the columns; null: it cannot. */
  read?: (text: string) => Cells[] | null
  /** Whether a cell was refused. */
  wrong?: (row: number, column: string) => boolean
}>()
const emit = defineEmits<{ keep: [rows: Cells[], kept: () => void] }>()
const ROW = 25
const MOST_SHOWN = 9
const draft = ref<Cells[] | null>(null)
const list = useTemplateRef('list')
const box = useTemplateRef<HTMLElement>('box')
const blank = (): Cells => Object.fromEntries(props.columns.map((column) => [column.name, '']))
const shown = computed(() => [...(draft.value ?? props.rows), ...(props.mayEdit ? [blank()] : [])].map((row, key) => ({ row, key })))
const template = computed(() => `${props.columns.map((column) => column.width).join(' ')} 24px`)
const half = (key: number): string[] => {
  const row = shown.value[key]?.row
  return draft.value && row && !isBlank(row) ? lacking(row, props.columns) : []
}

function set(key: number, column: string, text: string): void {
  const rows = (draft.value ?? props.rows).map((row) => ({ ...row }))
  rows[key] = { ...(rows[key] ?? blank()), [column]: text }
  draft.value = rows
}
/** Hand over what is whole; a row that lacks something waits, and with it the rest. */
function keep(): void {
  const rows = (draft.value ?? []).filter((row) => !isBlank(row))
  if (!draft.value || rows.some((row) => lacking(row, props.columns).length)) return
  const sent = draft.value
  // What was typed after it was sent stays typed.
  emit('keep', rows, () => {
    if (draft.value === sent) draft.value = null
  })
}
function remove(key: number): void {
  draft.value = (draft.value ?? props.rows).filter((_, place) => place !== key)
  keep()
}
function paste(key: number, place: number, event: ClipboardEvent): void {
  const text = event.clipboardData?.getData('text') ?? ''
  if (!/[\n\t]/.test(text.trim()) || !props.mayEdit) return
  event.preventDefault()
  const from = props.columns.slice(place)
  const rows =
    props.read?.(text) ??
    pastedRows(
      text,
      from.map((column) => column.name),
    )
  const before = (draft.value ?? props.rows).map((row) => ({ ...row }))
  rows.forEach((row, step) => (before[key + step] = { ...(before[key + step] ?? blank()), ...row }))
  draft.value = before
  keep()
}
async function move(key: number, column: string, by: number): Promise<void> {
  const to = key + by
  if (to < 0 || to >= shown.value.length) return
  list.value?.scrollTo({ index: to })
  await nextTick()
  box.value?.querySelector<HTMLElement>(`[data-cell="${to} ${column}"]`)?.focus()
}
</script>

<template>
  <div ref="box" role="table" :aria-label="name" class="cells">
    <div role="row" class="row head" :style="{ gridTemplateColumns: template }">
      <span v-for="column in columns" :key="column.name" role="columnheader">{{ column.title }}</span>
    </div>
    <NVirtualList ref="list" :items="shown" :item-size="ROW" :style="{ maxHeight: `${ROW * MOST_SHOWN}px` }" role="rowgroup">
      <template #default="{ item: { row, key } }">
        <div :key="key" role="row" class="row" :style="{ gridTemplateColumns: template, height: `${ROW}px` }">
          <span v-for="(column, place) in columns" :key="column.name" role="cell">
            <input
              :value="row[column.name]"
              :title="row[column.name]"
              :placeholder="key < shown.length - 1 || !mayEdit ? column.empty : ''"
              :list="column.options ? `${name} ${column.name}` : undefined"
              :data-cell="`${key} ${column.name}`"
              :aria-label="`${column.title}, row ${key + 1} of ${name}`"
              :aria-invalid="half(key).includes(column.name) || (wrong?.(key, column.name) ?? false)"
              :readonly="!mayEdit"
              spellcheck="false"
              @input="set(key, column.name, ($event.target as HTMLInputElement).value)"
              @change="keep"
              @paste="paste(key, place, $event)"
              @keydown.down.prevent="move(key, column.name, 1)"
              @keydown.enter.prevent="move(key, column.name, 1)"
              @keydown.up.prevent="move(key, column.name, -1)"
            />
          </span>
          <span role="cell">
            <button
              v-if="mayEdit && key < shown.length - 1"
              type="button"
              class="plain-button quiet remove"
              :aria-label="`remove row ${key + 1} of ${name}`"
              @click="remove(key)"
            >
              ×
            </button>
          </span>
        </div>
      </template>
    </NVirtualList>
    <datalist v-for="column in columns.filter((each) => each.options)" :id="`${name} ${column.name}`" :key="column.name">
      <option v-for="option in column.options" :key="option" :value="option" />
    </datalist>
    <p v-if="draft && shown.some(({ key }) => half(key).length)" class="madder">
      Not kept yet: row {{ shown.findIndex(({ key }) => half(key).length) + 1 }} lacks
      {{
        half(shown.findIndex(({ key }) => half(key).length))
          .map((column) => columns.find((each) => each.name === column)?.title)
          .join(' and ')
      }}.
    </p>
  </div>
</template>

<style scoped>
.cells {
  font-size: 12px;
}
.row {
  display: grid;
  gap: 4px;
  align-items: center;
  border-bottom: 1px solid var(--line);
}
.head {
  color: var(--quiet);
  font-size: 11px;
}
input {
  width: 100%;
  font: inherit;
  font-size: 11px;
  color: inherit;
  background: transparent;
  border: 0;
  padding: 2px 3px;
  font-variant-numeric: tabular-nums;
}
.remove {
  min-width: 24px;
  min-height: 24px;
}
input:focus {
  outline: 1.5px solid var(--petrol);
  outline-offset: -1px;
}
input[aria-invalid='true'] {
  color: var(--madder);
  box-shadow: inset 0 -1.5px 0 var(--madder);
}
</style>
