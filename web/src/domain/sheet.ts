import Papa from 'papaparse'
import type { Workload } from '../api/client'

/** The columns of the demand sheet; all others are in the row's panel. */
export const columns = [
  { name: 'namespace', title: 'namespace', width: 96 },
  { name: 'name', title: 'name', width: 118 },
  { name: 'kind', title: 'kind', width: 82 },
  { name: 'replicas', title: 'replicas', width: 62, number: true },
  { name: 'cpu', title: 'CPU', width: 64, number: true },
  { name: 'memory', title: 'memory', width: 72, number: true },
  { name: 'owner', title: 'owner', width: 84 },
  { name: 'journey', title: 'journey', width: 124 },
  { name: 'promised', title: 'survives zone loss', width: 116 },
  { name: 'zone_skew', title: 'max zone skew', width: 108, number: true },
  { name: 'most_per_node', title: 'max a node', width: 82, number: true },
  { name: 'interruptible', title: 'interruptible %', width: 98, number: true },
  { name: 'node_labels', title: 'node labels', width: 180 },
  { name: 'labels', title: 'labels', width: 140 },
  { name: 'together', title: 'shares nodes', width: 96 },
] as const
export type Column = (typeof columns)[number]['name']

/** A key for a row that comes right after another one: of rows at one position the smaller key comes first. */
export function keyAfter(before: string): string {
  for (let tries = 0; tries < 4000; tries += 1) {
    const key = crypto.randomUUID()
    if (key > before) return key
  }
  return crypto.randomUUID()
}

export interface Sorting {
  column: Column
  down: boolean
}

/** The rows in the order of a column, numbers as numbers; without a sorting in their own order. */
export function sorted(rows: Workload[], by: Sorting | null): Workload[] {
  if (!by) return rows
  const amounts: Partial<Record<Column, keyof Workload>> = { cpu: 'cpu_millicores', memory: 'memory_bytes' }
  const value = (row: Workload) => row[amounts[by.column] ?? by.column] ?? ''
  const order = (a: Workload, b: Workload) =>
    typeof value(a) === 'number' && typeof value(b) === 'number'
      ? Number(value(a)) - Number(value(b))
      : String(value(a)).localeCompare(String(value(b)), 'en', { numeric: true })
  return [...rows].sort((a, b) => (by.down ? order(b, a) : order(a, b)))
}

export const GROUPS = ['none', 'namespace', 'owner', 'journey', 'service'] as const
export type Grouping = (typeof GROUPS)[number]

export interface Sums {
  workloads: number
  replicas: number
  cpu: number
  memory: number
}
export interface GroupLine {
  kind: 'group'
  key: string
  title: string
  sums: Sums
  cpuShare: number
  memoryShare: number
  folded: boolean
}
export interface RowLine {
  kind: 'row'
  key: string
  row: Workload
  /** Place among the rows that are shown, for arrow keys and pasting. */
  line: number
}

/** Replicas that a level runs, and what they request; a daemon workload counts nothing of its own. */
export function sums(rows: Workload[], level: string): Sums {
  const whole = { workloads: rows.length, replicas: 0, cpu: 0, memory: 0 }
  for (const row of rows) {
    const count = row.counts[level as keyof Workload['counts']] ?? row.replicas
    whole.replicas += count
    whole.cpu += count * row.cpu_millicores
    whole.memory += count * row.memory_bytes
  }
  return whole
}

function groupOf(row: Workload, by: Grouping): string {
  if (by === 'none') return ''
  const own = by === 'service' ? row.service || row.name : row[by]
  return own || `no ${by}`
}

/** The lines of the sheet: rows under their groups, the group with most CPU first; rows of a folded group are left out. */
export function lines(rows: Workload[], by: Grouping, level: string, folded: ReadonlySet<string>): (GroupLine | RowLine)[] {
  if (by === 'none') return rows.map((row, line) => ({ kind: 'row', key: row.key, row, line }))
  const groups = new Map<string, Workload[]>()
  for (const row of rows) groups.set(groupOf(row, by), [...(groups.get(groupOf(row, by)) ?? []), row])
  const whole = sums(rows, level)
  const ordered = [...groups]
    .map(([title, members]) => ({ title, members, sums: sums(members, level) }))
    .sort((a, b) => b.sums.cpu - a.sums.cpu)
  const found: (GroupLine | RowLine)[] = []
  let line = 0
  for (const group of ordered) {
    found.push({
      kind: 'group',
      key: `group ${group.title}`,
      title: group.title,
      sums: group.sums,
      folded: folded.has(group.title),
      cpuShare: group.sums.cpu / Math.max(whole.cpu, 1),
      memoryShare: group.sums.memory / Math.max(whole.memory, 1),
    })
    if (!folded.has(group.title)) for (const row of group.members) found.push({ kind: 'row', key: row.key, row, line: line++ })
  }
  return found
}

/** What stands in a cell, as text. */
export function cellText(row: Workload, column: Column): string {
  const value = row[column]
  if (value === null) return ''
  return typeof value === 'boolean' ? (value ? 'yes' : 'no') : String(value)
}

export interface Pasted {
  edits: Record<string, Record<string, string>>
  added: number
  /** Columns of the block that lie beyond the sheet's last one. */
  beyond: number
}

/** Edits from a block of a spreadsheet laid on the rows from a cell on; lines below the last row become new rows. */
export function pasted(block: string, rows: Workload[], line: number, place: number, newKey: () => string): Pasted {
  const edits: Record<string, Record<string, string>> = {}
  let added = 0
  let beyond = 0
  // Spreadsheets quote cells that hold a tab, a quote or a line break.
  Papa.parse<string[]>(block.replace(/\r?\n$/, ''), { delimiter: '\t' }).data.forEach((values, down) => {
    const row = rows[line + down]
    const key = row?.key ?? newKey()
    if (!row) added += 1
    beyond = Math.max(beyond, place + values.length - columns.length)
    values.forEach((value, right) => {
      const column = columns[place + right]
      if (column) edits[key] = { ...edits[key], [column.name]: value }
    })
  })
  return { edits, added, beyond }
}

/** A rectangle of cells: rows and columns, both ends in. */
export interface Block {
  top: number
  bottom: number
  left: number
  right: number
}

export function blockOf(from: [number, number], to: [number, number]): Block {
  return {
    top: Math.min(from[0], to[0]),
    bottom: Math.max(from[0], to[0]),
    left: Math.min(from[1], to[1]),
    right: Math.max(from[1], to[1]),
  }
}

/** The block as text for a spreadsheet. */
export function copied(rows: Workload[], block: Block): string {
  const taken = columns.slice(block.left, block.right + 1)
  return Papa.unparse(
    rows.slice(block.top, block.bottom + 1).map((row) => taken.map((column) => cellText(row, column.name))),
    { delimiter: '\t', newline: '\n' },
  )
}

/** Edits that give every row of the block what its first row has. */
export function filledDown(rows: Workload[], block: Block): Record<string, Record<string, string>> {
  const source = rows[block.top]
  if (!source) return {}
  const taken = columns.slice(block.left, block.right + 1)
  return Object.fromEntries(
    rows
      .slice(block.top + 1, block.bottom + 1)
      .map((row) => [row.key, Object.fromEntries(taken.map((column) => [column.name, cellText(source, column.name)]))]),
  )
}
