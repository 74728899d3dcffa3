import Papa from 'papaparse'

/** A row of a small table: text by column. */
export type Cells = Record<string, string>

export interface Column {
  name: string
  title: string
  /** What may stand there; none: anything. */
  options?: string[]
  /** Whether it may be left empty. */
  optional?: boolean
  /** What an empty cell means. */
  empty?: string
  /** Share of the width, such as 1fr. */
  width: string
}

/** Rows of a pasted text: cells parted by tabs, semicolons or commas, by spaces where there are none; what is too much joins the last. */
export function pastedRows(text: string, columns: string[]): Cells[] {
  const parted = /[\t;,]/.test(text)
  const lines = parted
    ? Papa.parse<string[]>(text.trim(), { skipEmptyLines: true, delimitersToGuess: ['\t', ';', ','] }).data
    : text
        .trim()
        .split('\n')
        .map((line) => line.trim().split(/\s+/))
  return lines
    .map((cells) => cells.map((cell) => cell.trim()))
    .filter((cells) => cells.some(Boolean))
    .map((cells) => {
      const last = columns.length - 1
      const kept = [...cells.slice(0, last), cells.slice(last).join(' ').trim()]
      return Object.fromEntries(columns.map((name, place) => [name, kept[place] ?? '']))
    })
}

export function isBlank(row: Cells): boolean {
  return Object.values(row).every((cell) => !cell.trim())
}

/** Columns of a row that must be filled and are not, or hold what may not stand there. */
export function lacking(row: Cells, columns: Column[]): string[] {
  return columns
    .filter((column) => {
      const cell = (row[column.name] ?? '').trim()
      return cell ? column.options && !column.options.includes(cell) : !column.optional
    })
    .map((column) => column.name)
}
