import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { client, taken, type Schemas } from './client'
import { keys } from './keys'

export function useStudies() {
  return useQuery({ queryKey: keys.studies(), queryFn: async () => taken(await client.GET('/api/studies')) })
}

/** Delete a study whose name was typed. */
export function useDeleteStudy() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: async (study: { id: number; typed: string }) =>
      taken(await client.DELETE('/api/studies/{study_id}', { params: { path: { study_id: study.id } }, body: { name: study.typed } })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.studies() }),
  })
}

/** Make a study of a file; a name where it has to have another one here. */
export function useImportStudy() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: async (body: Schemas['StudyFileIn']) => taken(await client.POST('/api/study-files', { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.studies() }),
  })
}

export function useCreateStudy() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: async (body: Schemas['StudyIn']) => taken(await client.POST('/api/studies', { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.studies() }),
  })
}
