import { useEventListener, useLocalStorage } from '@vueuse/core'
import { computed } from 'vue'

/** All keys of the bench, in one place. */
export const KEYS: [string, string][] = [
  ['1 … 9 0', 'go to Supply, Targets, Demand, Fit, Addresses, Pre-flight, Drills, Rehearsal, Ledger, Handover'],
  ['f', 'fit again'],
  ['[  ]', 'previous, next variant'],
  ['z then a zone', 'lose that zone, by its number or its first letters; again to restore'],
  ['←  →', 'in a drill: the event before, the next one'],
  ['/', 'find anything: studies, variants, workloads, instance types, places, findings, keys'],
  ['Alt with any of these', 'the same from inside the sheet, where a letter types'],
  ['Enter or F2', 'in the sheet: edit the cell; Enter stores, Esc takes back'],
  ['Shift+arrows', 'in the sheet: select a block; Ctrl+C copies it, Delete empties it'],
  ['Ctrl+D', 'in the sheet: fill the block down from its first row'],
  ['Ctrl+Z', 'undo the last edit'],
  ['Ctrl+Shift+Z', 'redo it'],
  ['Esc', 'close what is open, restore the zone; leave the sheet'],
  ['?', 'this list'],
]

/** Whether single keys work without Alt: who dictates or types past a field may switch them off. */
const off = useLocalStorage('rombel-single-keys-off', '')
export const singleKeys = computed({ get: () => off.value === '', set: (work: boolean) => (off.value = work ? '' : 'yes') })

/** The key as it is on the keyboard's face: with Alt some systems would type another sign. */
export function keyOf(event: KeyboardEvent): string {
  const found = event.altKey ? /^(?:Key|Digit)(.)$/.exec(event.code) : null
  return found?.[1]?.toLowerCase() ?? event.key
}

/** Call the handler for every key that is no typing; it returns whether it used the key. The handler named last is asked first. */
export function useKeys(handler: (event: KeyboardEvent) => boolean): void {
  const listen = (event: KeyboardEvent) => {
    const target = event.target as HTMLElement
    const typing = ['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName) || target.isContentEditable
    if (event.defaultPrevented || event.metaKey || (typing && event.key !== 'Escape')) return
    const single = event.key.length === 1 && !event.ctrlKey && !event.altKey
    if (single && (!singleKeys.value || target.closest('[data-sheet]'))) return
    if (handler(event)) event.preventDefault()
  }
  useEventListener('keydown', listen)
}

/** Let Esc close what is open in a place. */
export function useEscape(isOpen: () => boolean, close: () => void): void {
  useKeys((event) => {
    if (event.key !== 'Escape' || !isOpen()) return false
    close()
    return true
  })
}
