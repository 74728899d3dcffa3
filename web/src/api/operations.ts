import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { client, taken } from './client'
import { keys } from './keys'

const EVERY_MS = 5_000

/** How the installation stands; looked at again while the page is open. */
export function useOperations() {
  return useQuery({
    queryKey: keys.operations(),
    refetchInterval: EVERY_MS,
    retry: false,
    queryFn: async () => taken(await client.GET('/api/operations')),
  })
}

/** Begin a failed job again. */
export function useBeginAgain() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: async (job: number) =>
      taken(await client.POST('/api/operations/jobs/{job_id}/again', { params: { path: { job_id: job } } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.operations() }),
  })
}
