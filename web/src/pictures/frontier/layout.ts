import { extent } from 'd3-array'
import { scaleLinear, scaleLog } from 'd3-scale'
import { line } from 'd3-shape'
import type { FrontierPoint } from '../../api/availability'
import { widened } from '../widened'

/** A point on the picture. */
export interface Dot {
  index: number
  x: number
  y: number
  cost: number
  minutes: number
  isBend: boolean
}

export interface Axis {
  at: number
  words: string
}

/** Cost to the right, minutes a month upward on a logarithmic scale; `here` is the variant's own fit. */
export interface FrontierLayout {
  dots: Dot[]
  path: string
  here: { x: number; y: number } | null
  allowed: number | null
  across: Axis[]
  up: Axis[]
}

const LEFT = 74
const BOTTOM = 34
const TOP = 16

/** Place points for one journey in a frame; the bend is the dot farthest below the straight line between the ends. */
export function frontierLayout(
  points: FrontierPoint[],
  journey: string,
  own: { cost: number; minutes: number } | null,
  allowed: number | null,
  width: number,
  height: number,
): FrontierLayout {
  const known = points
    .map((point) => ({ index: point.index, cost: Number(point.cost), minutes: Math.max(1e-4, point.downtime[journey] ?? 0) }))
    .sort((a, b) => a.cost - b.cost || b.minutes - a.minutes)
  const every = [...known, ...(own ? [{ cost: own.cost, minutes: Math.max(1e-4, own.minutes) }] : [])]
  const x = scaleLinear(
    widened(
      extent(every, (point) => point.cost),
      0.04,
    ),
    [LEFT, width - 20],
  )
  const logs = [...every.map((point) => Math.log(point.minutes)), ...(allowed ? [Math.log(allowed)] : [])]
  const [deep, tall] = widened(extent(logs), 0.06)
  const y = scaleLog([Math.exp(deep), Math.exp(tall)], [height - BOTTOM, TOP])
  const placed = known.map((point) => ({ ...point, x: x(point.cost), y: y(point.minutes), isBend: false }))
  const best = lowerEdge(placed)
  const bend = farthest(best)
  if (bend) bend.isBend = true
  return {
    dots: placed,
    path:
      line<Dot>()
        .x((dot) => dot.x)
        .y((dot) => dot.y)(best) ?? '',
    here: own ? { x: x(own.cost), y: y(Math.max(1e-4, own.minutes)) } : null,
    allowed: allowed ? y(allowed) : null,
    across: x.ticks(5).map((cost) => ({ at: x(cost), words: String(Math.round(cost)) })),
    up: decades(deep, tall).map((minutes) => ({
      at: y(minutes),
      words: minutes >= 1 ? `${minutes} min` : `${Math.round(minutes * 60)} s`,
    })),
  }
}

/** The points of which none other is both cheaper and down less, cheapest first. */
function lowerEdge(dots: Dot[]): Dot[] {
  const kept: Dot[] = []
  for (const dot of dots) {
    if (kept.at(-1) && dot.minutes >= (kept.at(-1)?.minutes ?? 0)) continue
    if (kept.at(-1)?.cost === dot.cost) kept.pop()
    kept.push(dot)
  }
  return kept
}

function farthest(dots: Dot[]): Dot | null {
  const first = dots[0]
  const last = dots.at(-1)
  if (!first || !last || dots.length < 3) return null
  const bulge = (dot: Dot) => (last.x - first.x) * (dot.y - first.y) - (last.y - first.y) * (dot.x - first.x)
  return dots.slice(1, -1).reduce((best, dot) => (bulge(dot) > bulge(best) ? dot : best))
}

function decades(deep: number, tall: number): number[] {
  return [0.0167, 0.05, 0.1667, 0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000, 2000, 5000].filter(
    (minutes) => Math.log(minutes) >= deep && Math.log(minutes) <= tall,
  )
}
