import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { client, taken } from './client'
import { keys } from './keys'

const EVERY_MS = 30_000

/** What the person is told; looked for again while the page is open. */
export function useInbox() {
  return useQuery({
    queryKey: keys.inbox(),
    refetchInterval: EVERY_MS,
    queryFn: async () => taken(await client.GET('/api/inbox')),
  })
}

/** Mark all as read up to one; what came after stays unread. */
export function useReadNotices() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: async (upTo: number) => taken(await client.POST('/api/inbox/read', { body: { up_to: upTo } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.inbox() }),
  })
}
