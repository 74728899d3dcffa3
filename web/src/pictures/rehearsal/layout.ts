/** Panels one over the other on one axis of time, as plain geometry. Pure. */
import { max } from 'd3-array'
import { scaleLinear, type ScaleLinear } from 'd3-scale'
import { area, curveStepAfter, line } from 'd3-shape'

export interface Line {
  /** What it is called in the panel, and its class. */
  name: string
  kind: 'asked' | 'served' | 'waiting' | 'nodes' | 'cost' | 'before'
  values: readonly number[]
}
export interface Limit {
  name: 'least' | 'most'
  at: number
}
export interface Panel {
  title: string
  unit: string
  lines: Line[]
  limits: Limit[]
  /** The part of the height that it gets. */
  share: number
}
export interface Drawn {
  panel: Panel
  top: number
  height: number
  y: ScaleLinear<number, number>
  paths: { line: Line; d: string; filled: string }[]
}

export const LEFT = 46
export const RIGHT = 10
export const AXIS = 20
const GAP = 8
const TITLE = 15

/** The axis of time: pixels for seconds since the start. */
export function across(from: number, to: number, width: number): ScaleLinear<number, number> {
  return scaleLinear([from, Math.max(to, from + 1)], [LEFT, Math.max(LEFT + 1, width - RIGHT)])
}

/** Every panel in its place, with its lines as paths of steps: a sample is a mean, not a point. */
export function layoutPanels(
  panels: Panel[],
  [first, last]: [number, number],
  sample: number,
  x: ScaleLinear<number, number>,
  height: number,
): Drawn[] {
  const shares = panels.reduce((sum, panel) => sum + panel.share, 0) || 1
  const room = height - AXIS - GAP * (panels.length - 1)
  let top = 0
  return panels.map((panel) => {
    const high = Math.max(30, Math.floor((room * panel.share) / shares))
    const seen = panel.lines.map((entry) => entry.values.slice(first, last + 1))
    const most = Math.max(max(seen, (values) => max(values)) ?? 0, ...panel.limits.map((limit) => limit.at), 1e-9)
    const y = scaleLinear([0, most * 1.08], [top + high, top + TITLE])
    const paths = panel.lines.map((entry, place) => {
      // One point more than there are samples: the last step has a width too.
      const values = seen[place] ?? []
      const points = [...values, values.at(-1) ?? 0].map((value, index): [number, number] => [(first + index) * sample, value])
      const shape = line<[number, number]>()
        .x(([at]) => x(at))
        .y(([, value]) => y(value))
        .curve(curveStepAfter)
      const fill = area<[number, number]>()
        .x(([at]) => x(at))
        .y0(y(0))
        .y1(([, value]) => y(value))
        .curve(curveStepAfter)
      return { line: entry, d: shape(points) ?? '', filled: fill(points) ?? '' }
    })
    const drawn = { panel, top, height: high, y, paths }
    top += high + GAP
    return drawn
  })
}

/** Times that are worth a tick: whole hours or days, about eight. */
export function timeTicks(startS: number, from: number, to: number, edge = (to - from) / 30): { at: number; text: string }[] {
  const sizes = [900, 1800, 3600, 7200, 14400, 21600, 43200, 86400, 172800, 604800]
  const size = sizes.find((entry) => (to - from) / entry <= 9) ?? 1209600
  const first = Math.ceil((startS + from) / size) * size - startS
  const ticks: { at: number; text: string }[] = []
  // None so near the end that its words would be cut.
  for (let at = first; at <= to - edge; at += size) {
    const time = new Date((startS + at) * 1000)
    const day = time.toLocaleDateString('en-GB', { weekday: 'short', day: 'numeric', timeZone: 'UTC' })
    const hour = time.toISOString().slice(11, 16)
    ticks.push({ at, text: size >= 86400 || hour === '00:00' ? day : hour })
  }
  return ticks
}
