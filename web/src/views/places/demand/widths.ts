import { computed, ref, type Ref } from 'vue'
import { columns } from '../../../domain/sheet'

const KEPT = 'rombel-sheet-widths'
const LEAST = 36

/** The widths of the sheet's columns, as this browser has set them. */
export function useWidths(removes: Ref<boolean>) {
  const own = columns.map((column) => column.width)
  const known = JSON.parse(localStorage.getItem(KEPT) ?? '{}') as Record<string, number>
  const widths = ref(columns.map((column, place) => known[column.name] ?? own[place] ?? LEAST))
  const template = computed(() => `${widths.value.map((width) => `${width}px`).join(' ')} ${removes.value ? '26px' : ''}`)
  const width = computed(() => `${widths.value.reduce((sum, each) => sum + each, removes.value ? 26 : 0)}px`)

  function resize(place: number, by: number): void {
    widths.value = widths.value.map((each, at) => (at === place ? Math.max(LEAST, each + by) : each))
    localStorage.setItem(KEPT, JSON.stringify(Object.fromEntries(columns.map((column, at) => [column.name, widths.value[at]]))))
  }
  return { widths, template, width, resize }
}
