import type { Schemas } from '../api/client'
import { plural } from './format'

type Line = Schemas['ChangeLineOut']
type Doing = Line['do']

export const DOINGS: Record<Doing, { mark: string; word: string; done: string }> = {
  create: { mark: '+', word: 'create', done: 'created' },
  change: { mark: '≠', word: 'change', done: 'changed' },
  keep: { mark: '=', word: 'keep', done: 'kept' },
  remove: { mark: '−', word: 'remove', done: 'removed' },
}

/** Minutes as people say them: under two in seconds, from two hours on in hours. */
export function howLong(s: number): string {
  if (s < 120) return plural(Math.round(s), 'second')
  if (s < 7200) return `${Math.round(s / 60)} minutes`
  return `${(s / 3600).toFixed(1)} hours`
}

/** A range of times in words, as one where both ends read alike. */
export function howLongBetween(early: number, late: number): string {
  const ends = [howLong(early), howLong(late)] as const
  if (ends[0] === ends[1]) return ends[0]
  const unit = (words: string) => words.slice(words.indexOf(' '))
  const first = unit(ends[0]) === unit(ends[1]) ? ends[0].slice(0, ends[0].indexOf(' ')) : ends[0]
  return `${first} to ${ends[1]}`
}

/** How many parts are created, changed, removed and kept, in a sentence's words. */
export function doneWords(lines: Pick<Line, 'do' | 'count'>[]): string {
  const words = (Object.keys(DOINGS) as Doing[])
    .map((doing) => ({ doing, count: lines.filter((line) => line.do === doing).reduce((sum, line) => sum + line.count, 0) }))
    .filter((entry) => entry.count)
    .sort((a, b) => Number(a.doing === 'keep') - Number(b.doing === 'keep'))
    .map((entry) => `${entry.count} ${DOINGS[entry.doing].done}`)
  return words.length ? words.join(', ') : 'nothing'
}

/** A part as people name it; several of a kind by their number. */
export function partName(part: Pick<Line, 'kind' | 'name' | 'count'>): string {
  if (part.count > 1 && part.kind !== 'node') return plural(part.count, part.kind)
  if (part.kind === 'node') return `${plural(part.count, 'node')} of ${part.name}`
  if (part.kind === 'pool') return `pool ${part.name}`
  if (part.kind === 'volume') return `volume ${part.name}`
  return part.kind === 'range' ? `range ${part.name}` : part.kind === 'add-on' ? `add-on ${part.name}` : part.name
}

export type Wish = Schemas['WishIn']['wish']

/** What may be wished of a build where it stands. */
export function wishesFor(build: Pick<Schemas['BuildOut'], 'state' | 'status' | 'parts' | 'goal'>): Wish[] {
  if (build.status !== 'queued' && build.status !== 'running') return []
  const wishes: Wish[] = []
  if (build.parts.some((part) => part.stuck)) wishes.push('retry')
  if (build.state === 'paused') wishes.push('resume')
  if (build.state === 'running' || build.state === 'stuck') wishes.push('pause')
  if (build.state && build.state !== 'going back' && build.goal !== 'nothing') wishes.push('take-back')
  return wishes
}
export const WISHES: Record<Wish, string> = {
  pause: 'Pause',
  resume: 'Go on',
  retry: 'Try again what is stuck',
  'take-back': 'Stop and take back',
}

/** The gravest kinds of change, each once: what is risky, and the parts that it concerns. */
export function riskyTogether(lines: readonly Line[]): { risk: string; words: string; parts: string[] }[] {
  const found = new Map<string, { risk: string; words: string; parts: string[] }>()
  for (const line of lines) {
    const key = `${line.kind} ${line.do}`
    const entry = found.get(key) ?? { risk: line.risk, words: DOINGS[line.do].word, parts: [] }
    const why = line.do === 'change' && line.kind !== 'node' ? ` (${line.reason})` : ''
    entry.parts.push(`${partName(line)}${line.zone ? ` in ${line.zone}` : ''}${why}`)
    found.set(key, entry)
  }
  return [...found.values()]
}
