/** Rehearsals as plain figures: days in a table, a moment as lanes, differences between two runs. Pure. */
import type { Outcome, PoolLimit, PoolPlayed, Standing } from '../api/rehearsal'
import type { Moment, NodeMoment } from './drill'

/** What names a pool in a zone, as the address and choices carry it. */
export function offerName(offer: PoolPlayed['offer']): string {
  const type = offer.purchase === 'on-demand' ? offer.instance_type : `${offer.instance_type} (${offer.purchase})`
  return `${type} in ${offer.zone}`
}

/** A time of a rehearsal as people say it: weekday, day and minute, UTC. */
export function timeWords(startS: number, atS: number): string {
  const time = new Date((startS + atS) * 1000)
  const day = time.toLocaleDateString('en-GB', { weekday: 'short', day: 'numeric', month: 'short', timeZone: 'UTC' })
  return `${day} ${time.toISOString().slice(11, 16)}`
}

export interface DayRow {
  day: string
  peak: number
  lost: number
  waiting: number
  nodes: number
  cost: number
}

/** A time in a few letters: weekday and minute, UTC. */
export function shortTime(startS: number, atS: number): string {
  const time = new Date((startS + atS) * 1000)
  return `${time.toLocaleDateString('en-GB', { weekday: 'short', timeZone: 'UTC' })} ${time.toISOString().slice(11, 16)}`
}

/** A row a day: peak of what was asked, replica-hours' worth lost, most waiting, most nodes, cost. */
export function daysOf(outcome: Outcome): DayRow[] {
  const perDay = Math.max(1, Math.round(86400 / outcome.sample_s))
  const rows: DayRow[] = []
  for (let first = 0; first < outcome.waiting.length; first += perDay) {
    const of = (values: readonly number[]) => values.slice(first, first + perDay)
    const nodes = of(outcome.waiting).map((_, place) => outcome.pools.reduce((sum, pool) => sum + (pool.nodes[first + place] ?? 0), 0))
    rows.push({
      day: timeWords(outcome.start_s, first * outcome.sample_s).slice(0, -6),
      peak: Math.max(...of(outcome.asked)),
      lost: (of(outcome.lost).reduce((sum, value) => sum + value, 0) * outcome.sample_s) / 3600,
      waiting: Math.max(...of(outcome.waiting)),
      nodes: Math.max(...nodes),
      cost: of(outcome.cost).reduce((sum, value) => sum + value, 0),
    })
  }
  return rows
}

/** The limits with one pool's changed; kept in order, so that nothing else looks edited. */
export function withLimit(limits: PoolLimit[], pool: PoolPlayed, change: Partial<PoolLimit>): PoolLimit[] {
  const name = offerName(pool.offer)
  return limits.map((entry) => (offerName(entry) === name ? { ...entry, ...change } : entry))
}

/** Which pool is shown first: the one that stood longest at its most, else the one with most nodes. */
export function firstPool(outcome: Outcome): number {
  const limited = outcome.pools.some((pool) => pool.at_most_min > 0)
  const rank = (pool: PoolPlayed) => (limited ? pool.at_most_min : pool.most_seen)
  let best = 0
  outcome.pools.forEach((pool, place) => {
    const now = outcome.pools[best]
    if (now && rank(pool) > rank(now)) best = place
  })
  return best
}

/** What stands at a moment, as the lanes draw it: a replica that does not serve starts, on a dark node it is lost. */
export function momentAsLanes(standing: Standing): Moment {
  const sum = (counts: Record<string, number>) => Object.values(counts).reduce((all, count) => all + count, 0)
  const nodes = standing.nodes.map((node, number): NodeMoment => {
    const bound = sum(node.bound)
    const serving = sum(node.serving)
    const counts = { serving, landed: 0, starting: 0, lost: 0 }
    counts[node.state === 'dark' ? 'lost' : 'starting'] = bound - serving
    const { instance_type: type, zone } = node.offer
    return { number, name: `${type} in ${zone}`, zone, type, state: node.state === 'draining' ? 'cordoned' : node.state, counts }
  })
  return { at: standing.at_s, words: '', waiting: sum(standing.waiting), nodes }
}

/** The most replicas that any node carries at a moment. */
export function fullestAt(moment: Moment): number {
  return Math.max(1, ...moment.nodes.map((node) => Object.values(node.counts).reduce((sum, count) => sum + count, 0)))
}
