/** Plans over each other: a band for each zone, in it a row for each plan, in that a romb for each node by pool. Pure; Vue only draws it. */
import type { Column, NodeCount } from '../../api/comparison'
import { poolName } from '../../domain/nodes'

export const ROW = 22
export const LABEL = 168
const GAP = 12
const SIDE = 7
const APART = 14
const LETTER = 5.6

export interface Mark {
  x: number
  y: number
  /** As in the first plan, one more than it has, or one that only the first has. */
  kind: 'same' | 'more' | 'fewer'
}

export interface PoolRun {
  pool: string
  hue: string
  x: number
  count: number
  marks: Mark[]
  /** Beside how many rombs the count alone is drawn. */
  heap: boolean
}

export interface PlanRow {
  key: string
  name: string
  y: number
  nodes: number
  pools: PoolRun[]
}

export interface Band {
  zone: string
  y: number
  height: number
  rows: PlanRow[]
}

const MOST_MARKS = 14

/** How many nodes of each pool a plan has in a zone. */
function counts(nodes: NodeCount[], zone: string): Map<string, number> {
  const found = new Map<string, number>()
  for (const entry of nodes) {
    if (entry.zone === zone) found.set(poolName(entry), (found.get(poolName(entry)) ?? 0) + entry.count)
  }
  return found
}

/** Zones in the order of their first plan, pools in the order of the alphabet: each stands in the same place in every row. */
export function layoutBeside(columns: Column[], hues: string[]): { bands: Band[]; width: number; height: number } {
  const zones = [...new Set(columns.flatMap((column) => column.nodes.map((entry) => entry.zone)))]
  const pools = [...new Set(columns.flatMap((column) => column.nodes.map(poolName)))].sort()
  const hue = (pool: string) => hues[pools.indexOf(pool) % hues.length] ?? '#666'
  let y = 0
  let width = LABEL
  const bands = zones.map((zone) => {
    const own = columns.map((column) => counts(column.nodes, zone))
    const here = pools.filter((pool) => own.some((each) => each.get(pool)))
    const places = new Map<string, number>()
    let x = LABEL
    for (const pool of here) {
      places.set(pool, x)
      const most = Math.max(...own.map((each) => each.get(pool) ?? 0))
      // Wide enough for the rombs, for a count beside them where there are too many, and for the pool's name.
      const rombs = Math.min(most, MOST_MARKS) * SIDE * 1.6 + (most > MOST_MARKS ? 26 : 0)
      x += Math.max(rombs, pool.length * LETTER) + APART
    }
    width = Math.max(width, x)
    const rows = columns.map((column, place) => ({
      key: column.key,
      name: column.name,
      y: y + 20 + place * ROW,
      nodes: [...(own[place]?.values() ?? [])].reduce((sum, count) => sum + count, 0),
      pools: here.map((pool) => {
        const count = own[place]?.get(pool) ?? 0
        const first = own[0]?.get(pool) ?? 0
        const start = places.get(pool) ?? LABEL
        const drawn = Math.min(Math.max(count, first), MOST_MARKS)
        const marks = Array.from({ length: drawn }, (_, number): Mark => {
          const kind = number >= count ? 'fewer' : place > 0 && number >= first ? 'more' : 'same'
          return { x: start + SIDE * (0.8 + number * 1.6), y: y + 20 + place * ROW + ROW / 2, kind }
        })
        return {
          pool,
          hue: hue(pool),
          x: start,
          count,
          marks: place ? marks : marks.filter((mark) => mark.kind === 'same'),
          heap: count > MOST_MARKS,
        }
      }),
    }))
    const height = 20 + columns.length * ROW + 4
    const band = { zone, y, height, rows }
    y += height + GAP
    return band
  })
  return { bands, width, height: Math.max(0, y - GAP) }
}

/** Corners of a romb round its middle. */
export function rombAt(x: number, y: number): string {
  return `${x},${y - SIDE} ${x + SIDE * 0.72},${y} ${x},${y + SIDE} ${x - SIDE * 0.72},${y}`
}
