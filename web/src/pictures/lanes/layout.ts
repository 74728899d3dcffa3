/** The lanes as plain geometry: one lane a zone, one romb a node, grouped by pool. Pure; Vue only draws it. */
import type { Fit, FitNode } from '../../api/client'
import { eachNode, nodeCount, poolName } from '../../domain/nodes'

export const HEAD = 30
export const FOOT = 22
const GAP = 5
const APART = 12
const MOST_ROMBS = 60

export interface Romb {
  node: FitNode
  x: number
  y: number
  width: number
  height: number
  hue: string
  left: string
  right: string
  leftArriving: string
  rightArriving: string
  outline: string
  binding: boolean
}

export interface Heap {
  x: number
  y: number
  count: number
  hue: string
  pool: string
  left: string
  right: string
  outline: string
}

export interface PoolLabel {
  name: string
  count: number
  x: number
  hue: string
}

export interface Lane {
  zone: string
  y: number
  height: number
  nodes: number
  replicas: number
  cost: string
  lost: boolean
  rombs: Romb[]
  heaps: Heap[]
  labels: PoolLabel[]
}

/** Corner points of one half of a romb, filled from the bottom to a share of its height. */
export function halfFill(x: number, y: number, width: number, height: number, share: number, side: -1 | 1): string {
  const fill = Math.min(1, Math.max(0, share))
  if (fill === 0) return ''
  const level = y + height * (1 - fill)
  const half = width / 2
  const reach = fill <= 0.5 ? half * (fill / 0.5) : half * ((1 - fill) / 0.5)
  const points = [[x, y + height]]
  if (fill > 0.5) points.push([x + side * half, y + height / 2])
  points.push([x + side * reach, level], [x, level])
  return points.map(([a, b]) => `${round(a)},${round(b)}`).join(' ')
}

/** The whole romb. */
export function rombOutline(x: number, y: number, width: number, height: number): string {
  const half = width / 2
  return [
    [x, y],
    [x + half, y + height / 2],
    [x, y + height],
    [x - half, y + height / 2],
  ]
    .map(([a, b]) => `${round(a)},${round(b)}`)
    .join(' ')
}

function round(value: number | undefined): number {
  return Math.round((value ?? 0) * 100) / 100
}

/** Width of a romb by the vCPUs of its node, in a few steps. */
export function rombWidth(millicores: number): number {
  if (millicores < 2_000) return 20
  if (millicores < 4_000) return 25
  if (millicores < 8_000) return 31
  if (millicores < 16_000) return 38
  return 46
}

interface Block {
  pool: Fit['pools'][number]
  hue: string
  width: number
  height: number
  columns: number
  x: number
}

/** Where every pool stands, the same in each lane; shrunk together when they would not fit. */
function blocks(fit: Fit, width: number, inner: number, hues: string[]): { scale: number; blocks: Block[] } {
  const sizes = fit.pools.map((pool, place) => {
    const node = fit.nodes.find((entry) => entry.instance_type === pool.instance_type)
    const tallest = Math.max(1, ...Object.values(pool.nodes))
    return { pool, hue: hues[place % hues.length] ?? '#666', side: rombWidth(node?.usable.cpu_millicores ?? 0), tallest }
  })
  // A pool's name takes what it needs, and no more than its share of the lane: names never make the rombs small.
  const most = (width - 14) / Math.max(1, sizes.length) - APART
  for (let scale = 1; ; scale *= 0.93) {
    let x = 14
    const placed = sizes.map(({ pool, hue, side, tallest }) => {
      const w = side * scale
      const h = w * 1.62
      const rows = Math.max(1, Math.floor((inner + GAP) / (h + GAP)))
      const columns = Math.ceil(Math.min(tallest, MOST_ROMBS) / rows)
      const block: Block = { pool, hue, width: w, height: h, columns, x }
      x += Math.max(columns * (w + GAP), Math.min(most, 6.6 * (poolName(pool).length + 3))) + APART
      return block
    })
    if (x <= width || scale < 0.35) return { scale, blocks: placed }
  }
}

/** Lay out the lanes of a fit.
 *
 * @param lost the zone shown as lost, or null
 * @param replicasOf how many replicas stand on a node
 */
export function layoutLanes(fit: Fit, width: number, height: number, lost: string | null, hues: string[]): Lane[] {
  const tall = height / Math.max(1, fit.zones.length)
  const inner = tall - HEAD - FOOT - 14
  const plan = blocks(fit, width, inner, hues)
  return fit.zones.map((zone, number) => {
    const nodes = fit.nodes.filter((node) => node.zone === zone)
    const lane: Lane = {
      zone,
      y: number * tall,
      height: tall - 8,
      nodes: nodeCount(nodes),
      replicas: nodes.reduce((sum, node) => sum + node.count * standing(node), 0),
      cost: fit.zone_cost_per_month[zone] ?? '0',
      lost: zone === lost,
      rombs: [],
      heaps: [],
      labels: [],
    }
    for (const block of plan.blocks) {
      const own = nodes.filter((node) => node.instance_type === block.pool.instance_type && node.purchase === block.pool.purchase)
      const many = nodeCount(own)
      lane.labels.push({ name: poolName(block.pool), count: many, x: block.x, hue: block.hue })
      if (many > MOST_ROMBS) lane.heaps.push(heap(own, block, lane.y + HEAD))
      else eachNode(own).forEach((node, place) => lane.rombs.push(romb(node, block, place, lane.y + HEAD, lost)))
    }
    return lane
  })
}

/** Replicas standing on a node. */
export function standing(node: FitNode): number {
  return Object.values(node.replicas).reduce((sum, count) => sum + count, 0)
}

function shareOf(node: FitNode, resource: string, extra = 0): number {
  const usable = node.usable[resource] ?? 0
  return usable ? ((node.requested[resource] ?? 0) + extra) / usable : 0
}

function romb(node: FitNode, block: Block, place: number, top: number, lost: string | null): Romb {
  const { width, height, columns, hue } = block
  const x = block.x + width / 2 + (place % columns) * (width + GAP)
  const y = top + Math.floor(place / columns) * (height + GAP)
  const arriving = (lost !== null && node.arriving[lost]) || {}
  const cpu = shareOf(node, 'cpu_millicores')
  const memory = shareOf(node, 'memory_bytes')
  return {
    node,
    x,
    y,
    width,
    height,
    hue,
    left: halfFill(x, y, width, height, cpu, -1),
    right: halfFill(x, y, width, height, memory, 1),
    leftArriving: halfFill(x, y, width, height, shareOf(node, 'cpu_millicores', arriving.cpu_millicores), -1),
    rightArriving: halfFill(x, y, width, height, shareOf(node, 'memory_bytes', arriving.memory_bytes), 1),
    outline: rombOutline(x, y, width, height),
    binding: shareOf(node, 'pods') > Math.max(cpu, memory),
  }
}

function heap(nodes: FitNode[], block: Block, top: number): Heap {
  const count = nodeCount(nodes)
  const mean = (resource: string) => nodes.reduce((sum, node) => sum + node.count * shareOf(node, resource), 0) / count
  const width = 60
  const height = 96
  const x = block.x + width / 2
  return {
    x,
    y: top,
    count,
    hue: block.hue,
    pool: poolName(block.pool),
    left: halfFill(x, top, width, height, mean('cpu_millicores'), -1),
    right: halfFill(x, top, width, height, mean('memory_bytes'), 1),
    outline: rombOutline(x, top, width, height),
  }
}
