import type { Schemas } from '../../api/client'

export type Part = Schemas['BuildPartOut']
export type Mark = 'waiting' | 'running' | 'stuck' | 'done' | 'back'
export interface Row {
  key: string
  part: Part
  /** One mark for each part, those that are done first; empty: there are too many, and a bar stands for them. */
  marks: Mark[]
  /** Shares of the bar, in the order of the marks. */
  bar: { mark: Mark; share: number }[]
}
const ORDER: Mark[] = ['done', 'running', 'stuck', 'waiting', 'back']
/** So many fit into a row; above it they gather. */
export const MOST_MARKS = 40

/** Each line of a build with a mark for each of its parts. */
export function rows(parts: readonly Part[]): Row[] {
  return parts.map((part) => {
    const counts = ORDER.map((mark) => ({ mark, count: part[mark] }))
    return {
      key: `${part.key} ${part.do}`,
      part,
      marks: part.count > MOST_MARKS ? [] : counts.flatMap(({ mark, count }) => Array.from({ length: count }, () => mark)),
      bar: counts.filter(({ count }) => count).map(({ mark, count }) => ({ mark, share: count / part.count })),
    }
  })
}
