import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { client, taken, type Schemas } from './client'
import { keys } from './keys'

export function useHouse() {
  return useQuery({ queryKey: keys.house(), queryFn: async () => taken(await client.GET('/api/house')) })
}

export function useStateRules() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: async (body: Partial<Schemas['RulesChange']>) =>
      taken(await client.PATCH('/api/house', { body: body as Schemas['RulesChange'] })),
    onSuccess: () => queries.invalidateQueries(),
  })
}
