/** What leads from one bill to another, in the order in which it is asked, as it is sent and as it is told. */
export const BRIDGED = [
  { part: 'price', name: 'price' },
  { part: 'demand', name: 'amount of demand' },
  { part: 'promises', name: 'promises' },
  { part: 'choices', name: 'choices' },
] as const

/** A step of a bridge between two sums: what it adds, and where its bar lies on a scale of 0 to 1. */
export interface BridgeBar {
  name: string
  amount: number
  from: number
  to: number
  whole: boolean
}

/** Bars from the sum before through each part to the sum after; the scale begins below the least of them, so that parts are seen. */
export function bridgeLayout(
  before: number,
  parts: { name: string; amount: number }[],
  after: number,
  names: [string, string],
): BridgeBar[] {
  let now = before
  const steps = parts.map((part) => {
    const from = now
    now += part.amount
    return { ...part, from, to: now }
  })
  const ends = [before, after, ...steps.map((step) => step.to)]
  const low = Math.min(...ends)
  const high = Math.max(...ends)
  const start = Math.max(0, low - Math.max(high - low, high * 0.02))
  const place = (amount: number) => (amount - start) / (high - start || 1)
  const whole = (name: string, amount: number) => ({ name, amount, from: 0, to: place(amount), whole: true })
  return [
    whole(names[0], before),
    ...steps.map((step) => ({ ...step, from: place(step.from), to: place(step.to), whole: false })),
    whole(names[1], after),
  ]
}
