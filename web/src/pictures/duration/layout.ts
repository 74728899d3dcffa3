import { scaleLinear } from 'd3-scale'

/** How much is in use for how many hours of a month; the largest first. */
export interface InUse {
  amount: number
  hours: number
}

/** The hours of a month sorted by what is in use, with the parts of them that a commitment covers, leaves unused, or leaves on demand. */
export interface DurationLayout {
  covered: string
  unused: string
  onDemand: string
  outline: string
  line: number
  across: { at: number; hours: number }[]
  up: { at: number; amount: number }[]
  /** The amount at a height of the picture, never below nothing. */
  amountAt: (y: number) => number
}

export const LEFT = 44
export const RIGHT = 12
export const TOP = 12
export const BOTTOM = 22

export function durationLayout(uses: InUse[], level: number, width: number, height: number): DurationLayout {
  const hours = uses.reduce((sum, use) => sum + use.hours, 0)
  const most = Math.max(1e-9, level, ...uses.map((use) => use.amount))
  const x = scaleLinear([0, hours || 1], [LEFT, width - RIGHT])
  const y = scaleLinear([0, most * 1.08], [height - BOTTOM, TOP])
  const steps = stairs(uses)
  const area = (low: (amount: number) => number, high: (amount: number) => number) =>
    steps
      .filter((step) => high(step.amount) > low(step.amount))
      .map((step) => `M${x(step.from)} ${y(low(step.amount))}V${y(high(step.amount))}H${x(step.to)}V${y(low(step.amount))}Z`)
      .join('')
  return {
    covered: area(
      () => 0,
      (amount) => Math.min(amount, level),
    ),
    unused: area(
      (amount) => amount,
      () => level,
    ),
    onDemand: area(
      () => level,
      (amount) => amount,
    ),
    outline: steps.map((step, place) => `${place ? 'V' : `M${x(step.from)} `}${y(step.amount)}H${x(step.to)}`).join(''),
    line: y(level),
    across: x.ticks(6).map((at) => ({ at: x(at), hours: at })),
    up: y.ticks(5).map((amount) => ({ at: y(amount), amount })),
    amountAt: (at) => Math.max(0, y.invert(at)),
  }
}

/** Each amount from which hour to which. */
function stairs(uses: InUse[]): { from: number; to: number; amount: number }[] {
  let from = 0
  return uses.map((use) => {
    const step = { from, to: from + use.hours, amount: use.amount }
    from = step.to
    return step
  })
}

/** The listed level that is nearest to an amount. */
export function nearest<Level extends { amount: number }>(levels: Level[], amount: number): Level | null {
  return levels.reduce<Level | null>(
    (best, level) => (best && Math.abs(best.amount - amount) <= Math.abs(level.amount - amount) ? best : level),
    null,
  )
}
