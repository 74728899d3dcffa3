import { useLocalStorage } from '@vueuse/core'
import { computed, type Ref } from 'vue'
import { columns } from '../../../domain/sheet'

const LEAST = 36

/** The widths of the sheet's columns, as this browser has set them. */
export function useWidths(removes: Ref<boolean>) {
  const known = useLocalStorage<Record<string, number>>('rombel-sheet-widths', {})
  const widths = computed(() => columns.map((column) => known.value[column.name] ?? column.width))
  const template = computed(() => `${widths.value.map((width) => `${width}px`).join(' ')} ${removes.value ? '26px' : ''}`)
  const width = computed(() => `${widths.value.reduce((sum, each) => sum + each, removes.value ? 26 : 0)}px`)

  function resize(place: number, by: number): void {
    const column = columns[place]
    if (column) known.value = { ...known.value, [column.name]: Math.max(LEAST, (widths.value[place] ?? LEAST) + by) }
  }
  return { widths, template, width, resize }
}
