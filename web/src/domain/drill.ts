/** A drill as it stands at a moment: what every node carries and how, added up from its events. Pure. */
import type { DrillPlay, DrillStep } from '../api/drills'
import { plural } from './format'

/** How a replica stands: shapes on the screen tell them apart, not colour alone. */
export type Standing = 'serving' | 'landed' | 'starting' | 'lost'

export interface NodeMoment {
  number: number
  name: string
  zone: string
  type: string
  state: string
  /** Replicas by how they stand. */
  counts: Record<Standing, number>
}

export interface Moment {
  at: number
  words: string
  waiting: number
  nodes: NodeMoment[]
}

type Cell = { bound: number; serving: number; begun: number }

/** What stands after the first `events` events; 0: at the start. */
export function momentOf(play: DrillPlay, events: number): Moment {
  const cells = new Map<string, Cell>()
  const states = new Map<number, string>()
  const cell = (node: number, workload: string): Cell => {
    const key = `${node} ${workload}`
    let found = cells.get(key)
    if (!found) cells.set(key, (found = { bound: 0, serving: 0, begun: 0 }))
    return found
  }
  for (const entry of play.standing) {
    Object.assign(cell(entry.node, entry.workload), { bound: entry.bound, serving: entry.serving, begun: entry.serving })
    states.set(entry.node, 'up')
  }
  const begun = new Set(states.keys())
  const past = play.events.slice(0, events)
  for (const event of past) {
    for (const change of event.changes) {
      const found = cell(change.node, change.workload)
      found.bound += change.bound
      found.serving += change.serving
    }
    for (const node of event.nodes) states.set(node.node, node.state)
  }
  const came = new Set(play.events.flatMap((event) => (event.kind === 'node up' ? event.nodes.map((node) => node.node) : [])))
  const nodes = play.nodes.map((node, number): NodeMoment => {
    const state = states.get(number) ?? (came.has(number) ? 'gone' : 'up')
    return { number, ...node, type: node.instance_type, state, counts: { serving: 0, landed: 0, starting: 0, lost: 0 } }
  })
  for (const [key, found] of cells) {
    const node = nodes[Number(key.split(' ', 1)[0])]
    if (!node) continue
    const before = begun.has(node.number) ? Math.min(found.begun, found.serving) : 0
    node.counts.serving += before
    node.counts.landed += found.serving - before
    node.counts[node.state === 'dark' ? 'lost' : 'starting'] += found.bound - found.serving
  }
  const last = past.at(-1)
  return {
    at: last?.at_s ?? 0,
    words: last?.words ?? 'before it begins',
    waiting: last?.waiting ?? 0,
    nodes: nodes.filter((node) => node.state !== 'gone'),
  }
}

/** The most replicas that any node carries at any moment: the scale of the picture stays the same through a drill. */
export function fullest(play: DrillPlay): number {
  const bound = new Map<number, number>()
  let most = 1
  for (const change of [...play.standing, ...play.events.flatMap((event) => event.changes)]) {
    const now = (bound.get(change.node) ?? 0) + change.bound
    bound.set(change.node, now)
    most = Math.max(most, now)
  }
  return most
}

/** Replicas that do not serve, at the start and after every event: those lost, starting and waiting. */
export function notServing(play: DrillPlay): number[] {
  let down = 0
  const total = play.standing.reduce((sum, entry) => sum + entry.serving, 0)
  let serving = total
  return [
    0,
    ...play.events.map((event) => {
      for (const change of event.changes) serving += change.serving
      down = total - serving
      return Math.max(0, down)
    }),
  ]
}

/** A time since the start, as short as it can be said. */
export function clock(seconds: number): string {
  if (seconds < 90) return `${Math.round(seconds)} s`
  if (seconds < 5400) return `${(seconds / 60).toFixed(seconds < 600 ? 1 : 0)} min`
  return `${(seconds / 3600).toFixed(1)} h`
}

/** What a step is called when nobody gives it a name. */
export function stepWords(step: DrillStep): string {
  const pool = step.instance_type ?? ''
  const words: Record<DrillStep['kind'], string> = {
    nodes: step.count === 1 ? 'lose any node' : `lose any ${step.count} nodes`,
    zone: `lose zone ${step.zone}`,
    region: 'lose the region',
    members: `lose ${plural(step.count ?? 1, 'control-plane member')}`,
    dependency: `${step.dependency} is down`,
    stock: `${pool} is out of stock${step.zone ? ` in ${step.zone}` : ''}`,
    interruption: `${Math.round(100 * (step.share ?? 1))} % of the interruptible nodes are taken back`,
    shrink: `shrink ${pool} to ${step.count}`,
    grow: `grow ${pool} to ${step.count}`,
    even: `even out to ${Math.round(100 * (step.share ?? 1))} %`,
    version: step.control_plane_only ? 'roll the control plane alone' : 'roll a version',
    retype: `replace ${pool} by ${step.to_type}`,
    retire: 'retire the cluster',
  }
  return words[step.kind]
}
