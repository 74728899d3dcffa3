/** A cost through time as one line: a step at each day on which another plan stood, from zero up, so that equal steps look equal. */
export const WIDTH = 84
export const HEIGHT = 22
const PAD = 2

export interface Point {
  day: string
  cost: string
}

/** The way of the line, and where its last point stands; null: a line needs two days. */
export function layoutTrend(points: Point[]): { path: string; x: number; y: number } | null {
  if (points.length < 2) return null
  const days = points.map((point) => Date.parse(point.day))
  const [first, last] = [days[0] ?? 0, days.at(-1) ?? 0]
  const top = Math.max(...points.map((point) => Number(point.cost)), 1)
  const x = (day: number) => PAD + ((WIDTH - 2 * PAD) * (day - first)) / (last - first || 1)
  const y = (cost: string) => HEIGHT - PAD - ((HEIGHT - 2 * PAD) * Number(cost)) / top
  const path = points
    .map((point, place) => {
      const at = y(point.cost).toFixed(1)
      // A plan stands until the next one does.
      return place ? `H${x(days[place] ?? 0).toFixed(1)}V${at}` : `M${x(first).toFixed(1)} ${at}`
    })
    .join('')
  return { path, x: x(last), y: y(points.at(-1)?.cost ?? '0') }
}

/** The same in words. */
export function trendWords(points: Point[], currency: string): string {
  const [first, last] = [points[0], points.at(-1)]
  if (!first || !last || points.length < 2) return 'one plan only'
  const whole = (cost: string) => Math.round(Number(cost)).toLocaleString('en-GB')
  return `${whole(first.cost)} ${currency} a month on ${first.day}, ${whole(last.cost)} on ${last.day}; ${points.length} plans`
}
