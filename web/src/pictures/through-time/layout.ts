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
  return (value) => frame.left + ((frame.width - frame.left - frame.right) * (value - first)) / Math.max(last - first, 1e-9)
}

export function scaleY(frame: Frame, most: number): (value: number) => number {
  return (value) => frame.height - frame.bottom - ((frame.height - frame.top - frame.bottom) * value) / Math.max(most, 1e-9)
}

/** A path through points; a null breaks it. */
export function path(points: (readonly [number, number | null])[]): string {
  let open = false
  return points
    .map(([x, y]) => {
      if (y === null) {
        open = false
        return ''
      }
      const step = `${open ? 'L' : 'M'}${x.toFixed(1)} ${y.toFixed(1)}`
      open = true
      return step
    })
    .join('')
}

/** A closed band between two lines. */
export function band(points: (readonly [number, number, number])[]): string {
  if (!points.length) return ''
  const up = points.map(([x, , high]) => `${x.toFixed(1)} ${high.toFixed(1)}`)
  const back = [...points].reverse().map(([x, low]) => `${x.toFixed(1)} ${low.toFixed(1)}`)
  return `M${up.join('L')}L${back.join('L')}z`
}

/** Round steps up to a largest value, at most six. */
export function steps(most: number): number[] {
  if (!(most > 0)) return [0]
  const raw = most / 4
  const power = 10 ** Math.floor(Math.log10(raw))
  const step = ([1, 2, 2.5, 5, 10].find((factor) => factor * power >= raw) ?? 10) * power
  return Array.from({ length: Math.floor(most / step + 1e-9) + 1 }, (_, place) => place * step)
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
