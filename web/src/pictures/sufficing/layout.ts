import { extent } from 'd3-array'
import { scaleLinear } from 'd3-scale'
import { widened } from '../widened'

/** What limits cost in the time that is played, and the share of demand that is late under them. */
export interface Tried {
  cost: number
  late: number
}

export interface Placed extends Tried {
  x: number
  y: number
}

/** Cost to the right, late demand upward, each over what was tried; the stairs are the cheapest for each share. */
export interface SufficingLayout {
  dots: Placed[]
  stairs: string
  promise: number
  before: number
  found: Placed | null
  across: { at: number; cost: number }[]
  up: { at: number; share: number }[]
}

export const LEFT = 46
export const BOTTOM = 22
export const TOP = 10
const RIGHT = 10

/** Place what was tried, cheapest first, with the promise as a share and the cost before and of what was found (null: nothing). */
export function sufficingLayout(
  tried: Tried[],
  promise: number,
  before: number,
  found: number | null,
  width: number,
  height: number,
): SufficingLayout {
  const x = scaleLinear(spanned([...tried.map((entry) => entry.cost), before, ...(found === null ? [] : [found])]), [LEFT, width - RIGHT])
  const y = scaleLinear(spanned([...tried.map((entry) => entry.late), promise]), [height - BOTTOM, TOP])
  const dots = tried.map((entry) => ({ ...entry, x: x(entry.cost), y: y(entry.late) }))
  // Between two that were tried the cheaper one is what can be had.
  const stairs = dots.map((dot, place) => (place ? `H${dot.x}V${dot.y}` : `M${dot.x} ${dot.y}`)).join('')
  const under = dots.filter((dot) => dot.late <= promise + 1e-12)[0]
  return {
    dots,
    stairs: dots.length ? `${stairs}H${width - RIGHT}` : '',
    promise: y(promise),
    before: x(before),
    found: found === null ? null : { cost: found, late: under?.late ?? promise, x: x(found), y: under?.y ?? y(promise) },
    across: x.ticks(3).map((cost) => ({ at: x(cost), cost })),
    up: y.ticks(4).map((share) => ({ at: y(share), share })),
  }
}

/** From the least to the largest with some room at both ends; never below nothing. */
function spanned(values: number[]): [number, number] {
  const [low, high] = widened(extent(values), 0.1, 0.02, 1e-6)
  return [Math.max(0, low), high]
}
