/** Figures as people read them; the exact value goes beside them in a title. */
const whole = new Intl.NumberFormat('en-GB', { maximumFractionDigits: 0 })
const exact = new Intl.NumberFormat('en-GB', { minimumFractionDigits: 2, maximumFractionDigits: 2 })

export function money(amount: string | number): string {
  return whole.format(Number(amount)).replaceAll(',', '\u202f')
}

export function exactMoney(amount: string | number): string {
  return exact.format(Number(amount)).replaceAll(',', '\u202f')
}

/** An amount with its sign, of which nothing has none. */
export function signedMoney(amount: string | number): string {
  const sign = Number(amount) > 0 ? '+' : Number(amount) < 0 ? '−' : ''
  return `${sign}${exactMoney(Math.abs(Number(amount)))}`
}

export function percent(share: number, digits = 1): string {
  return `${(100 * share).toFixed(digits)}\u202f%`
}

/** How far above the floor, in words that never round a gap away. */
export function gapWords(gap: number): string {
  if (gap <= 1e-9) return 'cheapest there is'
  return gap < 0.0005 ? 'under 0.1\u202f% above the floor' : `${percent(gap)} above the floor`
}

/** Whether the prices that are handed out prove the whole floor, to the cent. */
function isProved(fit: { floor_per_month: string; proved_per_month: string | null }): boolean {
  return fit.proved_per_month !== null && Number(fit.proved_per_month) > Number(fit.floor_per_month) - 0.005
}

/** What stands behind a floor: prices that anybody can check prove it, or prove this much of it and the rest is the solver's word. */
export function proofWords(fit: { floor_per_month: string; proved_per_month: string | null; currency: string }): string {
  if (fit.proved_per_month === null) return 'What its prices prove is worked out when the fit has ended.'
  if (isProved(fit)) return 'The prices in solution.json prove it to anybody’s check, in whole numbers.'
  return `The prices in solution.json prove ${exactMoney(fit.proved_per_month)} ${fit.currency} of it to anybody’s check; that nothing lies between is the word of the solver’s complete search alone.`
}

/** The floor as the screen states it: the part that is proved to anybody, and what more the solver says. */
export function floorWords(fit: { floor_per_month: string; proved_per_month: string | null }): string {
  if (fit.proved_per_month === null || isProved(fit)) return money(fit.floor_per_month)
  return `${money(fit.proved_per_month)} proved, ${money(fit.floor_per_month)} by the solver`
}

export function gibibytes(bytes: number): string {
  const amount = bytes / 2 ** 30
  return amount >= 10 ? amount.toFixed(0) : amount.toFixed(amount % 1 ? 1 : 0)
}

export function vcpus(millicores: number): string {
  const amount = millicores / 1000
  return amount >= 10 ? amount.toFixed(0) : amount.toFixed(amount % 1 ? 1 : 0)
}

const resourceWords: Record<string, string> = {
  cpu_millicores: 'CPU',
  memory_bytes: 'memory',
  pods: 'pods',
  volume_attachments: 'volumes',
  local_disk_bytes: 'local disk',
}

/** One decimal always: what a node really has never looks like its round capacity. */
export function tenths(amount: number): string {
  return (Math.floor(amount * 10) / 10).toFixed(1)
}

/** A price by the hour with its decimals in a column. */
export function price(text: string): string {
  const [, decimals = ''] = text.split('.')
  return decimals.length < 4 ? Number(text).toFixed(4) : text
}

export function plural(count: number, word: string): string {
  return `${count} ${word}${count === 1 ? '' : 's'}`
}

export function resourceWord(name: string): string {
  return resourceWords[name] ?? name
}

export function seconds(amount: number): string {
  return amount < 10 ? `${amount.toFixed(1)} s` : `${Math.round(amount)} s`
}

/** A share of one in words of a ratio: 1.25 times, or as much. */
export function times(ratio: number): string {
  return Math.abs(ratio - 1) < 0.005 ? 'the same' : `${ratio.toFixed(2)} ×`
}

/** A day as people write it. */
export function day(text: string): string {
  return new Date(text).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' })
}

/** A day and the time of it, where the reader is. */
export function moment(text: string): string {
  return `${day(text)}, ${new Date(text).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })}`
}

export function ruleWords(rule: string): string {
  return rule.replaceAll('_', ' ')
}
