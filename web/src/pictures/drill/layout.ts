/** A drill's moment as plain geometry: a lane a zone, a box a node, a mark for every replica or for several. Pure. */
import type { NodeMoment, Standing } from '../../domain/drill'

export const HEAD = 26
const MARK = 9
const ACROSS = 5
const DOWN = 6
const ORDER: Standing[] = ['serving', 'landed', 'starting', 'lost']

export interface Mark {
  x: number
  y: number
  standing: Standing
}

export interface NodeBox {
  node: NodeMoment
  x: number
  y: number
  width: number
  height: number
  marks: Mark[]
}

export interface DrillLane {
  zone: string
  y: number
  height: number
  boxes: NodeBox[]
  /** Nodes that find no room in the lane. */
  more: number
}

/** How many replicas one mark stands for, so that the fullest node's marks fit its box. */
export function perMark(fullest: number): number {
  return Math.max(1, Math.ceil(fullest / (ACROSS * DOWN)))
}

/** Lanes under each other, each as high as the picture allows. */
export function layoutDrill(zones: string[], nodes: NodeMoment[], width: number, height: number, each: number): DrillLane[] {
  const high = Math.max(HEAD + DOWN * MARK + 12, Math.floor(height / Math.max(1, zones.length)))
  const wide = ACROSS * MARK + 8
  const tall = DOWN * MARK + 8
  const across = Math.max(1, Math.floor((width - 20) / (wide + 8)))
  const rows = Math.max(1, Math.floor((high - HEAD - 4) / (tall + 6)))
  return zones.map((zone, place) => {
    const own = nodes.filter((node) => node.zone === zone)
    const y = place * high
    const boxes = own.slice(0, across * rows).map((node, index): NodeBox => {
      const x = 10 + (index % across) * (wide + 8)
      const top = y + HEAD + Math.floor(index / across) * (tall + 6)
      return { node, x, y: top, width: wide, height: tall, marks: marksOf(node, x + 4, top + 4, each) }
    })
    return { zone, y, height: high - 6, boxes, more: own.length - boxes.length }
  })
}

/** Marks row by row from the bottom, those that serve first; a part of a mark counts as one. */
function marksOf(node: NodeMoment, x: number, y: number, each: number): Mark[] {
  const stands = ORDER.flatMap((standing) => Array<Standing>(Math.ceil(node.counts[standing] / each)).fill(standing))
  return stands.slice(0, ACROSS * DOWN).map((standing, index) => ({
    standing,
    x: x + (index % ACROSS) * MARK + MARK / 2,
    y: y + (DOWN - 1 - Math.floor(index / ACROSS)) * MARK + MARK / 2,
  }))
}

/** The outline of a node's box: one corner is cut, as a lane's is. */
export function boxPath(box: NodeBox): string {
  return `M${box.x} ${box.y}h${box.width - 8}l8 8v${box.height - 8}h${-box.width}Z`
}

/** The path of a mark around its middle: a square serves, a romb has landed and serves, a triangle starts, a cross is lost. */
export function markPath(standing: Standing, x: number, y: number): string {
  if (standing === 'serving') return `M${x - 3} ${y - 3}h6v6h-6Z`
  if (standing === 'landed') return `M${x} ${y - 4.2}L${x + 4.2} ${y}L${x} ${y + 4.2}L${x - 4.2} ${y}Z`
  if (standing === 'starting') return `M${x} ${y - 3.5}L${x + 3.5} ${y + 3}H${x - 3.5}Z`
  return `M${x - 3} ${y - 3}L${x + 3} ${y + 3}M${x + 3} ${y - 3}L${x - 3} ${y + 3}`
}
