import type { Cells } from './cells'

export const ROLES = ['nodes', 'pods', 'public', 'services']

/** Lines of ranges as they are pasted: a range, what it carries and a zone, in any order, parted by tabs, commas or spaces. */
export function readRangesToday(text: string): Cells[] {
  return text
    .split('\n')
    .map((line) => line.split(/[\s,;]+/).filter(Boolean))
    .filter((words) => words.length)
    .map((words) => {
      const range = words.find((word) => word.includes('/')) ?? ''
      const role = ROLES.find((name) => words.some((word) => word.toLowerCase() === name)) ?? ''
      return { zone: words.filter((word) => word !== range && word.toLowerCase() !== role).join(' '), role, range }
    })
}
