import type { ChainPart, JourneyLink } from '../../api/availability'

/** One link on the picture: a column and a row from the middle line, and how much of the loss is its own. */
export interface ChainLink {
  name: string
  first: string
  second: string
  column: number
  row: number
  share: number
  minutes: number
  outside: boolean
}

/** A bracket around parts of which only some are needed. */
export interface Bracket {
  words: string
  from: number
  to: number
  top: number
  bottom: number
}

export interface ChainLayout {
  links: ChainLink[]
  /** From column to column along a row; beside a stack a line ends at its bracket. */
  lines: { from: number; to: number; row: number; opens: boolean; closes: boolean }[]
  brackets: Bracket[]
  columns: number
  rows: number
}

/** Place a chain from left to right: what is all needed behind each other, what is needed in part above each other. */
export function chainLayout(structure: ChainPart, links: JourneyLink[]): ChainLayout {
  const known = new Map(links.map((link) => [link.name, link]))
  const out: ChainLayout = { links: [], lines: [], brackets: [], columns: width(structure), rows: height(structure) }
  place(structure, 0, (out.rows - 1) / 2, known, out)
  return out
}

function inSeries(part: ChainPart): boolean {
  return part.parts.length > 0 && part.needed === part.parts.length
}

function isStack(part: ChainPart): boolean {
  return part.parts.length > 0 && !inSeries(part)
}

function width(part: ChainPart): number {
  if (!part.parts.length) return 1
  return inSeries(part) ? part.parts.reduce((sum, inner) => sum + width(inner), 0) : Math.max(...part.parts.map(width))
}

function height(part: ChainPart): number {
  if (!part.parts.length) return 1
  return inSeries(part) ? Math.max(...part.parts.map(height)) : part.parts.reduce((sum, inner) => sum + height(inner), 0)
}

/** Place a part that begins at a column around a row. */
function place(part: ChainPart, column: number, row: number, known: Map<string, JourneyLink>, out: ChainLayout): void {
  if (!part.parts.length) {
    const link = known.get(part.name ?? '')
    const [space = '', own = ''] = (part.name ?? '').includes('/') ? (part.name ?? '').split('/') : ['', part.name ?? '']
    out.links.push({
      name: part.name ?? '',
      first: space,
      second: own,
      column,
      row,
      share: link?.share ?? 0,
      minutes: link?.minutes ?? 0,
      outside: link?.kind !== 'workload',
    })
    return
  }
  if (inSeries(part)) {
    let at = column
    let before: ChainPart | null = null
    for (const inner of part.parts) {
      if (before) out.lines.push({ from: at - 1, to: at, row, opens: isStack(before), closes: isStack(inner) })
      place(inner, at, row, known, out)
      at += width(inner)
      before = inner
    }
    return
  }
  const whole = width(part)
  const high = height(part)
  let top = row - (high - 1) / 2
  for (const inner of part.parts) {
    const middle = top + (height(inner) - 1) / 2
    place(inner, column, middle, known, out)
    top += height(inner)
  }
  out.brackets.push({
    words: part.needed === 1 ? 'any of' : `${part.needed} of ${part.parts.length}`,
    from: column,
    to: column + whole - 1,
    top: row - (high - 1) / 2,
    bottom: row + (high - 1) / 2,
  })
}
