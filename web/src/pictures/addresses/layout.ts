import type { AddressPlan, AddressRange } from '../../api/addresses'

/** A range as a strip on an axis of powers of two: lengths from 0 to 1 of what is needed, of the range, and of what is kept for it. */
export interface Strip {
  range: AddressRange
  needs: number
  size: number
  kept: number
  state: 'holds' | 'grows' | 'short'
}
/** The strips of a zone; the region's own have no zone. */
export interface ZoneStrips {
  zone: string
  strips: Strip[]
}

/** Bits of an amount of addresses; exact amounts of IPv6 are texts of many digits. */
export function bitsOf(amount: string): number {
  return amount === '0' ? 0 : Math.log2(Number(amount))
}

/** The axis of a plan: whole bits from 0 to those of its largest range. */
export function ticksOf(plan: AddressPlan): { bits: number; at: number; label: string }[] {
  const most = mostBits(plan)
  const step = Math.max(1, Math.ceil(most / 8))
  return Array.from({ length: Math.floor(most / step) + 1 }, (_, n) => n * step).map((bits) => ({
    bits,
    at: bits / most,
    label: bits < 20 ? (2 ** bits).toLocaleString('en').replaceAll(',', ' ') : `2^${bits}`,
  }))
}

function mostBits(plan: AddressPlan): number {
  return Math.max(1, ...plan.ranges.map((range) => Math.ceil(bitsOf(range.kept_addresses))))
}

/** Zones in the order of the plan, the region's own ranges first, each strip with what so many nodes in every zone make of it. */
export function stripsOf(plan: AddressPlan, nodes: number): ZoneStrips[] {
  const most = mostBits(plan)
  const zones = [...new Set(plan.ranges.map((range) => range.zone))]
  return zones.map((zone) => ({
    zone,
    strips: plan.ranges
      .filter((range) => range.zone === zone)
      .map((range) => ({
        range,
        needs: bitsOf(range.needs) / most,
        size: bitsOf(range.addresses) / most,
        kept: bitsOf(range.kept_addresses) / most,
        state: stateOf(range, nodes),
      })),
  }))
}

function stateOf(range: AddressRange, nodes: number): Strip['state'] {
  if (range.nodes === null || nodes <= Number(range.nodes)) return 'holds'
  return nodes <= Number(range.nodes_grown) ? 'grows' : 'short'
}

/** What so many nodes in every zone mean in words: which ranges must grow, and which run out first. */
export function saidOf(plan: AddressPlan, nodes: number): string {
  const of = (state: Strip['state']) => plan.ranges.filter((range) => stateOf(range, nodes) === state).map((range) => range.name)
  const [short, grows] = [of('short'), of('grows')]
  if (short.length) return `${short.join(', ')} ${short.length === 1 ? 'runs' : 'run'} out`
  if (grows.length) return `${grows.join(', ')} must grow into what is kept`
  return 'every range holds'
}

/** The nodes to which a slider goes: a quarter beyond the most that any zone's ranges carry once grown. */
export function mostNodes(plan: AddressPlan): number {
  const most = Math.max(1, ...plan.ceilings_grown.map((ceiling) => Number(ceiling.nodes)))
  return Math.min(100_000, Math.ceil(most * 1.25))
}
