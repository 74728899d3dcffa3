import type { FitNode } from '../api/client'

/** How many nodes there are: alike ones come as one entry with a count. */
export function nodeCount(nodes: FitNode[]): number {
  return nodes.reduce((sum, node) => sum + node.count, 0)
}

/** Every node by itself, with its own number. */
export function eachNode(nodes: FitNode[]): FitNode[] {
  return nodes.flatMap((node) => Array.from({ length: node.count }, (_, place) => ({ ...node, number: node.number + place, count: 1 })))
}

/** The node of a number, or null. */
export function nodeNumbered(nodes: FitNode[], number: number): FitNode | null {
  const found = nodes.find((node) => node.number <= number && number < node.number + node.count)
  return found ? { ...found, number, count: 1 } : null
}

/** What a pool is called: its type, with the way it is bought where that is not on demand. */
export function poolName(pool: { instance_type: string; purchase: string }): string {
  return pool.purchase === 'on-demand' ? pool.instance_type : `${pool.instance_type} ${pool.purchase}`
}

/** The numbers that an entry stands for, as a table shows them. */
export function numbersOf(node: FitNode): string {
  return node.count > 1 ? `${node.number} to ${node.number + node.count - 1}` : String(node.number)
}
