import { ticks } from 'd3-array'
import { scaleLinear } from 'd3-scale'
import { area, line } from 'd3-shape'

/** Lines through time: points to a path that breaks where nothing was measured. */
export interface Frame {
  width: number
  height: number
  left: number
  right: number
  top: number
  bottom: number
}

export function frameOf(width: number, height: number): Frame {
  return { width, height, left: 44, right: 10, top: 10, bottom: 20 }
}

export function scaleX(frame: Frame, first: number, last: number): (value: number) => number {
  return scaleLinear([first, Math.max(last, first + 1e-9)], [frame.left, frame.width - frame.right])
}

export function scaleY(frame: Frame, most: number): (value: number) => number {
  return scaleLinear([0, Math.max(most, 1e-9)], [frame.height - frame.bottom, frame.top])
}

/** A path through points; a null breaks it. */
export function path(points: (readonly [number, number | null])[]): string {
  const drawn = line<readonly [number, number | null]>()
    .defined(([, y]) => y !== null)
    .x(([x]) => x)
    .y(([, y]) => y ?? 0)
  return drawn(points) ?? ''
}

/** A closed band between two lines. */
export function band(points: (readonly [number, number, number])[]): string {
  const drawn = area<readonly [number, number, number]>()
    .x(([x]) => x)
    .y0(([, low]) => low)
    .y1(([, , high]) => high)
  return drawn(points) ?? ''
}

/** Round steps up to a largest value, at most six. */
export function steps(most: number): number[] {
  return most > 0 ? ticks(0, most, 5) : [0]
}

/** Days between two moments in seconds that are worth a tick: about eight. */
export function dayTicks(first: number, last: number): { at: number; text: string }[] {
  const days = (last - first) / 86400
  const step = [1, 2, 7, 14, 30, 60, 120].find((size) => days / size <= 9) ?? 240
  const start = Math.ceil(first / 86400)
  return Array.from({ length: Math.max(0, Math.floor((last / 86400 - start) / step) + 1) }, (_, place) => {
    const at = (start + place * step) * 86400
    return { at, text: new Date(at * 1000).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', timeZone: 'UTC' }) }
  })
}
