import { onBeforeUnmount, onMounted } from 'vue'

/** All keys of the bench, in one place. */
export const KEYS: [string, string][] = [
  ['1 2 3 4 9', 'go to Supply, Targets, Demand, Fit, Handover'],
  ['f', 'fit again'],
  ['[  ]', 'previous, next variant'],
  ['z then a zone’s letter', 'lose that zone; again to restore'],
  ['/', 'find a workload'],
  ['Shift+arrows', 'in the sheet: select a block; Ctrl+C copies it, Delete empties it'],
  ['Ctrl+D', 'in the sheet: fill the block down from its first row'],
  ['Ctrl+Z', 'undo the last edit'],
  ['Ctrl+Shift+Z', 'do it again'],
  ['Esc', 'back: restore the zone, close what is open'],
  ['?', 'this list'],
]

/** Call the handler for every key pressed outside a field; it returns whether it used the key. */
export function useKeys(handler: (event: KeyboardEvent) => boolean): void {
  const listen = (event: KeyboardEvent) => {
    const target = event.target as HTMLElement
    const typing = ['INPUT', 'TEXTAREA', 'SELECT'].includes(target.tagName) || target.isContentEditable
    if (typing && event.key !== 'Escape') return
    if (event.altKey || event.metaKey) return
    if (handler(event)) event.preventDefault()
  }
  onMounted(() => window.addEventListener('keydown', listen))
  onBeforeUnmount(() => window.removeEventListener('keydown', listen))
}
