import type { Schemas } from '../../api/client'

type Relations = Schemas['RelationsOut']
interface Spot {
  name: string
  x: number
  y: number
}
interface Line {
  key: string
  /** Breaks the journey where it is missing. */
  strong: boolean
  points: string
}
interface Layout {
  width: number
  height: number
  centre: Spot
  before: Spot[]
  behind: Spot[]
  lines: Line[]
}
const ROW = 24
const MOST = 12
export const COLUMN = 250

/** Everything once, what is nearest to the workload first. */
function once(names: readonly string[]): string[] {
  return [...new Set(names)].slice(0, MOST)
}

/** The workload in the middle, what calls or feeds it to the left, what it calls or feeds to the right. */
export function layout(found: Relations, width: number): Layout {
  const left = once([...found.journeys.flatMap((own) => [...own.before].reverse()), ...found.gets.map((own) => own.workload)])
  const right = once([...found.journeys.flatMap((own) => own.behind), ...found.sends.map((own) => own.workload)])
  const rows = Math.max(left.length, right.length, 1)
  const height = rows * ROW + 16
  const y = (count: number, place: number) => height / 2 + (place - (count - 1) / 2) * ROW
  const centre = { name: found.name, x: width / 2, y: height / 2 }
  const before = left.map((name, place) => ({ name, x: COLUMN, y: y(left.length, place) }))
  const behind = right.map((name, place) => ({ name, x: width - COLUMN, y: y(right.length, place) }))
  const vital = (name: string) => found.journeys.some((own) => own.is_down_without && [...own.before, ...own.behind].includes(name))
  const bend = (from: Spot, to: Spot) => {
    const middle = (from.x + to.x) / 2
    return `M${from.x} ${from.y} C${middle} ${from.y} ${middle} ${to.y} ${to.x} ${to.y}`
  }
  return {
    width,
    height,
    centre,
    before,
    behind,
    lines: [
      ...before.map((spot) => ({
        key: `< ${spot.name}`,
        strong: vital(spot.name),
        points: bend({ ...spot, x: spot.x + 6 }, { ...centre, x: centre.x - 14 }),
      })),
      ...behind.map((spot) => ({
        key: `> ${spot.name}`,
        strong: vital(spot.name),
        points: bend({ ...centre, x: centre.x + 14 }, { ...spot, x: spot.x - 6 }),
      })),
    ],
  }
}
