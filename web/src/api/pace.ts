/** How long to wait before asking again: as often as wanted, and ever more seldom while the server does not answer. */
export function paced(query: { state: { errorUpdateCount: number; status: string } }, wanted: number | false): number | false {
  if (wanted === false || query.state.status !== 'error') return wanted
  return Math.min(30_000, 1_000 * 2 ** Math.min(5, query.state.errorUpdateCount))
}
