import type { Step } from '../../api/client'

/** Room around the picture for its words. */
export const frame = { left: 58, right: 14, top: 16, bottom: 30 }

/** A state on the way: before all steps (place -1) or after one, by replicas moved so far and cost a month. */
export interface Stop {
  place: number
  moved: number
  cost: number
  x: number
  y: number
}

export interface RoadLayout {
  stops: Stop[]
  path: string
  lines: { words: string; cost: number; y: number }[]
  across: { text: string; at: number }[]
  up: { text: string; at: number }[]
}

/** Whole steps of a scale, at most so many: 1, 2 or 5 times a power of ten apart. */
export function ticks(from: number, to: number, most: number): number[] {
  const span = Math.max(1e-9, to - from)
  const power = 10 ** Math.floor(Math.log10(span / most))
  const step = [1, 2, 5, 10].map((times) => times * power).find((size) => span / size <= most) ?? 10 * power
  const first = Math.ceil(from / step)
  return Array.from({ length: Math.floor(to / step) - first + 1 }, (_, place) => (first + place) * step)
}

/** The staircase from what runs: right for every replica moved, down for what is saved. `marks` are costs to compare with. */
export function roadLayout(
  begun: number,
  steps: Step[],
  marks: { words: string; cost: number }[],
  width: number,
  height: number,
): RoadLayout {
  const costs = [begun, ...steps.map((step) => Number(step.cost)), ...marks.map((mark) => mark.cost)]
  const high = Math.max(...costs)
  const low = Math.min(...costs)
  const slack = Math.max(1, 0.1 * (high - low))
  const most = Math.max(
    1,
    steps.reduce((sum, step) => sum + step.moved, 0),
  )
  const x = (moved: number) => frame.left + ((width - frame.left - frame.right) * moved) / most
  const y = (cost: number) => frame.top + ((height - frame.top - frame.bottom) * (high + slack - cost)) / (high - low + 2 * slack)
  const stops: Stop[] = [{ place: -1, moved: 0, cost: begun, x: x(0), y: y(begun) }]
  steps.forEach((step, place) => {
    const moved = (stops.at(-1)?.moved ?? 0) + step.moved
    const cost = Number(step.cost)
    stops.push({ place, moved, cost, x: x(moved), y: y(cost) })
  })
  const path = stops.map((stop, place) => (place ? `H${stop.x}V${stop.y}` : `M${stop.x} ${stop.y}`)).join('')
  return {
    stops,
    path,
    lines: marks.map((mark) => ({ ...mark, y: y(mark.cost) })),
    across: ticks(0, most, 8).map((moved) => ({ text: String(moved), at: x(moved) })),
    up: ticks(low, high, 5).map((cost) => ({ text: String(Math.round(cost)), at: y(cost) })),
  }
}
