import type { SignOffLine } from '../api/signing'

/** What the states of a plan that was handed in are called, each with a mark of its own. */
export const STATES: Record<SignOffLine['state'], { mark: string; words: string }> = {
  waiting: { mark: '◇', words: 'waits to be signed' },
  signed: { mark: '◆', words: 'signed' },
  returned: { mark: '↩', words: 'returned' },
  withdrawn: { mark: '—', words: 'taken back' },
  replaced: { mark: '—', words: 'replaced by a newer one' },
  superseded: { mark: '◈', words: 'signed, superseded since' },
}

/** The one that is looked at first: what waits, then what is signed. */
export function first(rows: SignOffLine[]): SignOffLine | undefined {
  return rows.find((row) => row.state === 'waiting') ?? rows.find((row) => row.state === 'signed') ?? rows[0]
}
