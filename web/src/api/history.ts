import { useInfiniteQuery, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken, type Schemas } from './client'
import { inTurn, isOf, keys } from './keys'

const PAGE = 50

/** A study's edits, the newest first, a page at a time. */
export function useRevisions(study: Ref<number>) {
  return useInfiniteQuery({
    queryKey: keys.revisions(study),
    initialPageParam: null as number | null,
    queryFn: async ({ pageParam }) =>
      taken(
        await client.GET('/api/studies/{study_id}/revisions', {
          params: { path: { study_id: study.value }, query: { before: pageParam, count: PAGE } },
        }),
      ),
    getNextPageParam: (last) => (last.revisions.length < PAGE ? undefined : last.revisions.at(-1)?.id),
  })
}

/** What differs between two revisions; none: nothing is asked. */
export function useDifferences(study: Ref<number>, first: Ref<number | null>, last: Ref<number | null>) {
  return useQuery({
    queryKey: keys.revisions('between', study, first, last),
    enabled: computed(() => first.value !== null && last.value !== null),
    retry: false,
    queryFn: async () =>
      taken(
        await client.GET('/api/studies/{study_id}/revisions/compared', {
          params: { path: { study_id: study.value }, query: { first: first.value ?? 0, last: last.value ?? 0 } },
        }),
      ),
  })
}

/** Say why an edit was made. */
export function useNoteRevision(study: Ref<number>) {
  const queries = useQueryClient()
  return useMutation({
    scope: inTurn,
    mutationFn: async ({ revision, why }: { revision: number; why: string }) =>
      taken(
        await client.PATCH('/api/studies/{study_id}/revisions/{revision}', {
          params: { path: { study_id: study.value, revision } },
          body: { why },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.revisions(study) }),
  })
}

/** Make a variant with the choices that one had at a revision. */
export function useRestore(study: Ref<number>) {
  const queries = useQueryClient()
  return useMutation({
    scope: inTurn,
    mutationFn: async ({ revision, ...body }: { revision: number } & Schemas['RestoreIn']) =>
      taken(
        await client.POST('/api/studies/{study_id}/revisions/{revision}/restored', {
          params: { path: { study_id: study.value, revision } },
          body,
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ predicate: isOf('revisions', 'comparison', 'bench', 'studies') }),
  })
}
