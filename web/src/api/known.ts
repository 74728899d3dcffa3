/** Answers that say their version, kept while somebody is signed in: what did not change since is not sent again. */

const MOST = 40
const kept = new Map<string, { tag: string; text: string }>()

/** Read an address; where its answer is the one that is kept, the server says only so. */
export async function knownFetch(request: Request): Promise<Response> {
  const known = kept.get(request.url)
  if (known) request.headers.set('If-None-Match', known.tag)
  const answer = await fetch(request)
  if (answer.status === 304 && known) return new Response(known.text, { headers: { 'Content-Type': 'application/json' } })
  const tag = answer.headers.get('ETag')
  kept.delete(request.url)
  if (answer.ok && tag) {
    kept.set(request.url, { tag, text: await answer.clone().text() })
    // The oldest goes first.
    for (const url of [...kept.keys()].slice(0, Math.max(0, kept.size - MOST))) kept.delete(url)
  }
  return answer
}

/** Forget everything: somebody signed out, and whoever comes next need not see the same. */
export function forgetKnown(): void {
  kept.clear()
}
