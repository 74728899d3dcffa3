/** Downtime as people feel it: hours, minutes and seconds, two units at most. */
export function felt(minutes: number): string {
  const seconds = Math.abs(minutes) * 60
  if (seconds < 0.95) return seconds < 0.0005 ? '0 s' : `${seconds < 0.01 ? seconds.toFixed(4) : seconds.toFixed(2)} s`
  if (seconds < 59.5) return `${seconds < 9.5 ? seconds.toFixed(1) : Math.round(seconds)} s`
  const whole = Math.round(seconds)
  const days = Math.floor(whole / 86_400)
  const hours = Math.floor((whole % 86_400) / 3600)
  const rest = Math.floor((whole % 3600) / 60)
  if (days) return `${days} d ${hours} h`
  if (hours) return `${hours} h ${rest} min`
  return whole % 60 ? `${rest} min ${whole % 60} s` : `${rest} min`
}

/** A budget month has 30 days, as the server counts it. */
const BUDGET_MINUTES = 30 * 24 * 60

/** Minutes of a budget month that an availability in percent, as typed, allows to be lost. */
export function allowedMinutes(percent: string): number {
  return ((100 - Number(percent.replace(',', '.'))) / 100) * BUDGET_MINUTES
}

/** Seconds as a window of time. */
export function lasting(seconds: number | null): string {
  return seconds === null ? 'until the repair' : felt(seconds / 60)
}

/** Failures a year as people say them. */
export function often(perYear: number): string {
  if (perYear === 0) return 'never'
  if (perYear >= 1) return perYear === 1 ? 'once a year' : `${Number(perYear.toPrecision(3))} a year`
  return `once in ${Number((1 / perYear).toPrecision(3))} years`
}
