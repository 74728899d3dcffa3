import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken, type Schemas } from './client'
import { inTurn, isOf, keys } from './keys'

export type SignOffLine = Schemas['SignOffLine']
export type SignOff = Schemas['SignOffOut']
export type Seen = Schemas['SeenOut']
export type Draft = Schemas['DraftOut']

/** Plans of a study that were handed in, and what differs since one was signed; 0: no study yet. */
export function useSignOffs(study: Ref<number>) {
  return useQuery({
    queryKey: keys.signOffs(study),
    enabled: computed(() => study.value > 0),
    queryFn: async () => taken(await client.GET('/api/studies/{study_id}/sign-offs', { params: { path: { study_id: study.value } } })),
  })
}

/** One of them, whole; 0: none. */
export function useSignOff(id: Ref<number>) {
  return useQuery({
    queryKey: keys.signOffs('one', id),
    enabled: computed(() => id.value > 0),
    queryFn: async () => taken(await client.GET('/api/sign-offs/{sign_off_id}', { params: { path: { sign_off_id: id.value } } })),
  })
}

/** What would be handed in of a variant; 0: none. */
export function useDraft(variant: Ref<number>) {
  return useQuery({
    queryKey: keys.signOffs('draft', variant),
    enabled: computed(() => variant.value > 0),
    retry: false,
    queryFn: async () => taken(await client.GET('/api/variants/{variant_id}/hand-in', { params: { path: { variant_id: variant.value } } })),
  })
}

/** Hand a plan in at the figures that are shown. */
export function useHandIn() {
  const queries = useQueryClient()
  return useMutation({
    scope: inTurn,
    mutationFn: async ({ variant, ...body }: { variant: number } & Schemas['HandInPlanIn']) =>
      taken(await client.POST('/api/variants/{variant_id}/sign-offs', { params: { path: { variant_id: variant } }, body })),
    // Whatever came of it: where the figures moved, the new ones are shown.
    onSettled: () => queries.invalidateQueries({ predicate: isOf('signOffs', 'studies', 'inbox') }),
  })
}

const SAID = {
  sign: '/api/sign-offs/{sign_off_id}/signatures',
  return: '/api/sign-offs/{sign_off_id}/returns',
  withdraw: '/api/sign-offs/{sign_off_id}/withdrawals',
} as const

/** Sign a plan at the figures that are shown, return it, or take it back. */
export function useSay() {
  const queries = useQueryClient()
  return useMutation({
    scope: inTurn,
    mutationFn: async ({ id, what, ...body }: { id: number; what: keyof typeof SAID } & Schemas['SayIn']) =>
      taken(await client.POST(SAID[what], { params: { path: { sign_off_id: id } }, body })),
    onSettled: () => queries.invalidateQueries({ predicate: isOf('signOffs', 'studies', 'inbox') }),
  })
}
