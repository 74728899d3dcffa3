import { extent } from 'd3-array'
import { scaleLinear } from 'd3-scale'
import type { Sweep, SweepPoint } from '../../api/sweeps'
import { choiceName, valueWords } from '../../domain/sweep'
import { money } from '../../domain/format'

export interface Mark {
  number: number
  x: number
  words: string
}
/** A choice with its costs under every future: a mark each, the middle eight tenths, and the median. */
export interface Lane {
  choice: number
  name: string
  y: number
  marks: Mark[]
  band: { from: number; to: number; middle: number } | null
  unplanned: number
}
export interface SpreadLayout {
  lanes: Lane[]
  ticks: { at: number; words: string }[]
  height: number
}

export const LANE = 34
const LEFT = 150
const RIGHT = 70

/** Costs of every choice on one axis, which begins where the cheapest point lies: differences are what is looked at, and the axis says so. */
export function spreadLayout(sweep: Sweep, width: number): SpreadLayout {
  const costs = sweep.points.flatMap((point) => (point.cost === null ? [] : [Number(point.cost)]))
  const [least = 0, most = 1] = extent(costs)
  const x = scaleLinear([least, most === least ? least + 1 : most], [LEFT, width - RIGHT]).nice(5)
  const byChoice = new Map<number, SweepPoint[]>()
  for (const point of sweep.points) byChoice.set(point.choice, [...(byChoice.get(point.choice) ?? []), point])
  return {
    lanes: sweep.outcomes.map((outcome, choice) => ({
      choice,
      name: sweep.outcomes.length > 1 ? choiceName(outcome) : 'every future',
      y: 22 + LANE * choice,
      marks: (byChoice.get(choice) ?? []).flatMap((point) =>
        point.cost === null ? [] : [mark(point, x(Number(point.cost)), sweep.currency)],
      ),
      band: outcome.low === null ? null : { from: x(Number(outcome.low)), to: x(Number(outcome.high)), middle: x(Number(outcome.middle)) },
      unplanned: outcome.unplanned,
    })),
    ticks: x.ticks(5).map((at) => ({ at: x(at), words: money(at) })),
    height: 22 + LANE * sweep.outcomes.length + 26,
  }
}

function mark(point: SweepPoint, x: number, currency: string): Mark {
  return {
    number: point.number,
    x,
    words: `${valueWords(point.brings) || 'as it is'}: ${money(point.cost ?? 0)} ${currency} a month, ${point.nodes} nodes`,
  }
}
