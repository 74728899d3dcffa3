/** Says what would fix a text that is to be a whole number of at least `least`; an empty one is fine where it means something: `empty`. */
export function wholeNumber(text: string, what: string, least = 1, empty = ''): string {
  if (text === '' && empty) return ''
  if (/^\d+$/.test(text) && Number(text) >= least) return ''
  return `“${text}” is no number for ${what}. Write a whole one from ${least}${empty ? `, or nothing: ${empty}` : ''}.`
}

/** Says what would fix a text that is to be a number from 0. */
export function decimalNumber(text: string, what: string): string {
  return /^\d+([.,]\d+)?$/.test(text) ? '' : `“${text}” is no number for ${what}. Write one from 0, such as 12 or 0.5.`
}
