import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import type { Ref } from 'vue'
import { client, taken, type Schemas } from './client'
import { isOf, keys } from './keys'

export type StudyLine = Schemas['StudyLineOut']
export type ArrangeStudy = Schemas['ArrangeStudyIn']

/** A page of the studies that are looked for; what was shown stays until the next is there. */
export function useStudies(asked: Ref<Schemas['StudiesQuery']>) {
  return useQuery({
    queryKey: keys.studies(asked),
    placeholderData: (known: Schemas['StudiesOut'] | undefined) => known,
    queryFn: async () => taken(await client.GET('/api/studies', { params: { query: asked.value } })),
  })
}

/** Name or tag a study, or put it away. */
export function useArrangeStudy() {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: async ({ id, ...body }: { id: number } & Partial<ArrangeStudy>) =>
      taken(await client.PATCH('/api/studies/{study_id}/arrangement', { params: { path: { study_id: id } }, body: body as ArrangeStudy })),
    onSuccess: () => queries.invalidateQueries({ predicate: isOf('studies', 'bench', 'comparison') }),
  })
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
