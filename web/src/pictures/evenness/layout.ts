import type { Fit } from '../../api/client'

export type Weights = Record<string, number>
export interface Fullness {
  node: number
  count: number
  name: string
  zone: string
  share: number
}
export interface Spread {
  least: number
  mean: number
  most: number
  deviation: number
}

/** How full each node is: the weighted mean of the shares of its resources that are requested. */
export function fullness(nodes: Fit['nodes'], weights: Weights): Fullness[] {
  const total = Object.values(weights).reduce((sum, weight) => sum + weight, 0)
  return nodes.map((node) => {
    const share = Object.entries(weights).reduce(
      (sum, [name, weight]) => sum + (weight * (node.requested[name] ?? 0)) / Math.max(node.usable[name] ?? 0, 1),
      0,
    )
    return { node: node.number, count: node.count, name: node.instance_type, zone: node.zone, share: total ? share / total : 0 }
  })
}

/** The emptiest, the mean, the fullest, and the standard deviation; nothing without nodes. */
export function spread(full: Fullness[]): Spread | null {
  if (!full.length) return null
  const shares = full.map((entry) => entry.share)
  const many = full.reduce((sum, entry) => sum + entry.count, 0)
  const mean = full.reduce((sum, entry) => sum + entry.count * entry.share, 0) / many
  const variance = full.reduce((sum, entry) => sum + entry.count * (entry.share - mean) ** 2, 0) / many
  return { least: Math.min(...shares), mean, most: Math.max(...shares), deviation: Math.sqrt(variance) }
}

/** Weights as the address keeps them: name:weight, name:weight. */
export function weightsFrom(text: string | undefined, names: string[]): Weights {
  const stated = new Map((text ?? '').split(',').map((part) => part.split(':') as [string, string | undefined]))
  const given = names.some((name) => Number(stated.get(name)) > 0)
  return Object.fromEntries(names.map((name) => [name, given ? Math.max(0, Number(stated.get(name)) || 0) : name === 'pods' ? 0 : 1]))
}

export function weightsText(weights: Weights): string {
  return Object.entries(weights)
    .map(([name, weight]) => `${name}:${weight}`)
    .join(',')
}
