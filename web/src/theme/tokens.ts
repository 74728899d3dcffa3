/** Every colour of the application; components use the CSS variables made from these. */
export interface Tokens {
  paper: string
  panel: string
  ink: string
  quiet: string
  line: string
  wash: string
  madder: string
  madderWash: string
  petrol: string
  amber: string
  moss: string
}

export const light: Tokens = {
  paper: '#F7F4EC',
  panel: '#FFFDF7',
  ink: '#1F2A2E',
  quiet: '#57666A',
  line: '#DDD6C6',
  wash: '#EFEADD',
  madder: '#A6402F',
  madderWash: '#D9A096',
  petrol: '#2F6473',
  amber: '#8A6415',
  moss: '#4F6F2F',
}

export const dark: Tokens = {
  paper: '#171C1E',
  panel: '#1D2427',
  ink: '#ECE7DA',
  quiet: '#A3ADAE',
  line: '#364044',
  wash: '#262F32',
  madder: '#E08472',
  madderWash: '#8A4B40',
  petrol: '#6FB0C0',
  amber: '#D2A544',
  moss: '#9DBB77',
}

/** Pool hues: told apart without colour vision too, and always beside a name. */
export const poolHues = ['#2F6E7F', '#8A5A8C', '#B07D1E', '#5C7F35', '#3F5BA0', '#A3552F', '#6B6B6B', '#2E7F67']

/** Set the CSS variables of a look. */
export function applyTokens(tokens: Tokens): void {
  for (const [name, value] of Object.entries(tokens)) document.documentElement.style.setProperty(`--${name}`, value)
}
