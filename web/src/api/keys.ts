import type { Ref } from 'vue'

/** Part of a key: a value, or one that changes and takes the query along. */
type Part = Ref<unknown> | string | number

/** One maker of keys for everything that is asked and kept: the kind of question first, then what it is about. */
export const keys = {
  person: () => ['person'] as const,
  house: () => ['house'] as const,
  sessions: () => ['sessions'] as const,
  tokens: () => ['tokens'] as const,
  housePeople: () => ['house-people'] as const,
  invited: (...about: Part[]) => ['invited', ...about] as const,
  studies: (...about: Part[]) => ['studies', ...about] as const,
  comparison: (...about: Part[]) => ['comparison', ...about] as const,
  signOffs: (...about: Part[]) => ['sign-offs', ...about] as const,
  revisions: (...about: Part[]) => ['revisions', ...about] as const,
  starters: (...about: Part[]) => ['starters', ...about] as const,
  starterTrial: (...about: Part[]) => ['starter-trial', ...about] as const,
  people: (...about: Part[]) => ['people', ...about] as const,
  found: (...about: Part[]) => ['found', ...about] as const,
  operations: () => ['operations'] as const,
  inbox: () => ['inbox'] as const,
  builds: (...about: Part[]) => ['builds', ...about] as const,
  regions: () => ['regions'] as const,
  providers: () => ['providers'] as const,
  rates: () => ['rates'] as const,
  intakes: () => ['intakes'] as const,
  intakeStudies: () => ['intake-studies'] as const,
  bench: (...about: Part[]) => ['bench', ...about] as const,
  run: (...about: Part[]) => ['run', ...about] as const,
  inquiry: (...about: Part[]) => ['inquiry', ...about] as const,
  sweeps: (...about: Part[]) => ['sweeps', ...about] as const,
  sweepRead: (...about: Part[]) => ['sweep-read', ...about] as const,
  drill: (...about: Part[]) => ['drill', ...about] as const,
  ownDrills: (...about: Part[]) => ['own-drills', ...about] as const,
  scenario: (...about: Part[]) => ['scenario', ...about] as const,
  poolLimits: (...about: Part[]) => ['pool-limits', ...about] as const,
  rehearsals: (...about: Part[]) => ['rehearsals', ...about] as const,
  rehearsalRun: (...about: Part[]) => ['rehearsal-run', ...about] as const,
  rehearsalMoment: (...about: Part[]) => ['rehearsal-moment', ...about] as const,
  bill: (...about: Part[]) => ['bill', ...about] as const,
  actual: (...about: Part[]) => ['actual', ...about] as const,
  addresses: (...about: Part[]) => ['addresses', ...about] as const,
  prerequisites: (...about: Part[]) => ['prerequisites', ...about] as const,
  bridge: (...about: Part[]) => ['bridge', ...about] as const,
  commitments: (...about: Part[]) => ['commitments', ...about] as const,
  levelFit: (...about: Part[]) => ['level-fit', ...about] as const,
  matrix: (...about: Part[]) => ['matrix', ...about] as const,
  type: (...about: Part[]) => ['type', ...about] as const,
  outlooks: (...about: Part[]) => ['outlooks', ...about] as const,
  availability: (...about: Part[]) => ['availability', ...about] as const,
  improvements: (...about: Part[]) => ['improvements', ...about] as const,
  workload: (...about: Part[]) => ['workload', ...about] as const,
  levels: (...about: Part[]) => ['levels', ...about] as const,
  proposals: (...about: Part[]) => ['proposals', ...about] as const,
  series: (...about: Part[]) => ['series', ...about] as const,
  growth: (...about: Part[]) => ['growth', ...about] as const,
  usage: (...about: Part[]) => ['usage', ...about] as const,
  running: (...about: Part[]) => ['running', ...about] as const,
}
type Kind = keyof typeof keys

/** Changes of a study are sent one after another, as they were made: two under way at once could arrive in either order. */
export const inTurn = { id: 'edits' }

/** Whether a kept answer is of one of these kinds. */
export function isOf(...kinds: Kind[]): (query: { queryKey: readonly unknown[] }) => boolean {
  const heads = new Set<unknown>(kinds.map((kind) => keys[kind]()[0]))
  return (query) => heads.has(query.queryKey[0])
}
