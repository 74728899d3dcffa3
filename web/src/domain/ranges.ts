import type { Schemas } from '../api/client'

export type RangeToday = Schemas['RangeToday']
const ROLES = ['nodes', 'pods', 'public', 'services'] as const

/** Lines of ranges as they are pasted: a range, what it carries and a zone, in any order, parted by tabs, commas or spaces. */
export function readRangesToday(text: string): { rows: RangeToday[]; wrong: string[] } {
  const rows: RangeToday[] = []
  const wrong: string[] = []
  for (const line of text.split('\n').map((each) => each.trim())) {
    if (!line) continue
    const words = line.split(/[\s,;]+/).filter(Boolean)
    const range = words.find((word) => word.includes('/'))
    const role = ROLES.find((name) => words.some((word) => word.toLowerCase() === name))
    const zone = words.filter((word) => word !== range && word.toLowerCase() !== role)
    if (range && role && zone.length <= 1) rows.push({ range, role, zone: zone[0] ?? '' })
    else wrong.push(line)
  }
  return { rows, wrong }
}

/** The same lines, written. */
export function writeRangesToday(rows: RangeToday[]): string {
  return rows.map((row) => [row.zone, row.role, row.range].filter(Boolean).join(' ')).join('\n')
}
