/** What the API's values are called on the screen: the trade's words, the same in every place. */

/** How a loss is survived. */
export const survivalWords = { none: 'nothing promised', standing: 'spare replicas', landing: 'reserved room', growing: 'new nodes on loss' } as const

/** How grave a finding is. */
export const findingWords = { stop: 'blocker', care: 'warning', note: 'note' } as const
