/** What the API's values are called on the screen: the trade's words, the same in every place. */

/** How a loss is survived. */
export const survivalWords = {
  none: 'nothing promised',
  standing: 'spare replicas',
  landing: 'reserved room',
  growing: 'new nodes on loss',
} as const

/** How grave a finding is. */
export const findingWords = { stop: 'blocker', care: 'warning', note: 'note' } as const

/** Where something that waits for a worker stands in the queue. */
export function queueWords(row: { ahead: number; worker_alive: boolean }): string {
  if (!row.worker_alive) return 'no worker is running: whoever keeps this server has to start one'
  return row.ahead ? `waits for a worker, ${row.ahead} before it` : 'waits for a worker, next in line'
}
