import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { client, taken, type Schemas } from './client'

export function useStudies() {
  return useQuery({ queryKey: ['studies'], queryFn: async () => taken(await client.GET('/api/studies')) })
}

export function useCreateStudy() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: async (body: Schemas['StudyIn']) => taken(await client.POST('/api/studies', { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: ['studies'] }),
  })
}
