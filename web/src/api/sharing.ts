import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import type { Ref } from 'vue'
import { client, taken, type Schemas } from './client'
import { isOf, keys } from './keys'

export type StudyPeople = Schemas['StudyPeopleOut']
export type StudyRole = StudyPeople['yours']

/** Who may do what with a study. */
export function useStudyPeople(study: Ref<number>) {
  return useQuery({
    queryKey: keys.people(study),
    retry: false,
    queryFn: async () => taken(await client.GET('/api/studies/{study_id}/people', { params: { path: { study_id: study.value } } })),
  })
}

/** Name a person in a study, or say what all others may. */
export function useShareStudy(study: Ref<number>) {
  const queries = useQueryClient()
  return useMutation({
    mutationFn: async (body: Partial<Schemas['ShareIn']>) =>
      taken(
        await client.PATCH('/api/studies/{study_id}/people', {
          params: { path: { study_id: study.value } },
          body: body as Schemas['ShareIn'],
        }),
      ),
    onSettled: () => queries.invalidateQueries({ predicate: isOf('people', 'studies', 'bench') }),
  })
}
