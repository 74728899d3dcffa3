import type { JourneyLink } from '../../api/availability'

/** A zone's stack: one block a node, heights as shares of the fullest zone. */
export interface ZoneStack {
  name: string
  count: number
  blocks: { from: number; size: number }[]
}

/** Stacks of a workload's replicas, and how many are left when the fullest zone is gone. */
export function stacks(link: JourneyLink): { zones: ZoneStack[]; fullest: string; left: number } {
  const counts = Object.entries(link.by_zone).map(([name, nodes]) => ({ name, nodes, count: nodes.reduce((sum, each) => sum + each, 0) }))
  const most = Math.max(1, ...counts.map((zone) => zone.count))
  const zones = counts.map(({ name, nodes, count }) => {
    let from = 0
    const blocks = nodes.map((size) => {
      const block = { from: from / most, size: size / most }
      from += size
      return block
    })
    return { name, count, blocks }
  })
  const fullest = zones.reduce((best, zone) => (zone.count > best.count ? zone : best), zones[0] ?? { name: '', count: 0, blocks: [] })
  return { zones, fullest: fullest.name, left: link.replicas - fullest.count }
}
