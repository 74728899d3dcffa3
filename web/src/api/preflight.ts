import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken, type Schemas } from './client'
import { inTurn, isOf, keys } from './keys'

export type Finding = Schemas['FindingOut']

/** What accepts a finding with a reason, and what opens it again. */
export function useAcceptance(variant: Ref<number>) {
  const cache = useQueryClient()
  const path = computed(() => ({ path: { variant_id: variant.value } }))
  const again = () => cache.invalidateQueries({ predicate: isOf('bench') })
  const accept = useMutation({
    scope: inTurn,
    mutationFn: async (body: Schemas['AcceptIn']) =>
      taken(await client.POST('/api/variants/{variant_id}/findings/accepted', { params: path.value, body })),
    onSuccess: again,
  })
  const reopen = useMutation({
    scope: inTurn,
    mutationFn: async (body: Schemas['FindingIn']) =>
      taken(await client.POST('/api/variants/{variant_id}/findings/reopened', { params: path.value, body })),
    onSuccess: again,
  })
  return { accept, reopen }
}

export type StatedBuild = Schemas['BuildIn']

/** What must exist before the build; asked anew with every plan and every change. */
export function usePrerequisites(variant: Ref<number>, fit: Ref<number>) {
  return useQuery({
    queryKey: keys.prerequisites(variant, fit),
    queryFn: async () =>
      taken(await client.GET('/api/variants/{variant_id}/prerequisites', { params: { path: { variant_id: variant.value } } })),
  })
}
