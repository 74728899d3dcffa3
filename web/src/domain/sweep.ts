import type { Sweep, SweepOutcome, SweepValue } from '../api/sweeps'
import { money } from './format'

/** Values in a line; a change of nothing is said too, as it is one of those that were asked. */
export function valueWords(values: SweepValue[]): string {
  return values.map((each) => (/%$/.test(each.value) ? `${each.name} ${each.value}` : each.value)).join(', ')
}

/** How a combination of choices is called. */
export function choiceName(outcome: SweepOutcome): string {
  return valueWords(outcome.chosen)
}

/** The best of the choices by a figure; nothing where fewer than two have one. */
function least(outcomes: SweepOutcome[], figure: 'worst_regret' | 'mean'): SweepOutcome | null {
  const known = outcomes.filter((each) => each[figure] !== null)
  if (known.length < 2) return null
  return known.reduce((best, each) => (Number(each[figure]) < Number(best[figure]) ? each : best))
}

/** What a planner who does not know the future should know first, in sentences; of the answers that were found. */
export function adviceOf(sweep: Sweep): string[] {
  const where = sweep.compared < sweep.futures ? `every one of the ${sweep.compared} futures that are known of all` : 'every future'
  const safe = least(sweep.outcomes, 'worst_regret')
  const cheap = least(sweep.outcomes, 'mean')
  const said: string[] = []
  if (safe)
    said.push(
      Number(safe.worst_regret)
        ? `${choiceName(safe)} is never far off: at worst it costs ${money(safe.worst_regret ?? 0)} ${sweep.currency} a month more than the cheapest choice${safe.worst_future.length ? `, with ${valueWords(safe.worst_future)}` : ''}${sweep.compared < sweep.futures ? ', as far as is known' : ''}.`
        : `${choiceName(safe)} is the cheapest that was found in ${where}.`,
    )
  if (cheap && cheap !== safe)
    said.push(`On average ${choiceName(cheap)} costs least, ${money(cheap.mean ?? 0)} ${sweep.currency} a month.`)
  const failing = sweep.outcomes.filter((each) => each.unplanned)
  for (const each of failing.slice(0, 3))
    said.push(
      `${sweep.outcomes.length > 1 ? choiceName(each) : 'It'} has no plan in ${each.unplanned} of ${each.unplanned + each.planned} futures.`,
    )
  return said
}
