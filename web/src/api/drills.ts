import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken, type Schemas } from './client'
import { inTurn, keys } from './keys'

export type DrillResult = Schemas['DrillResultOut']
export type DrillPlay = Schemas['DrillPlayOut']
export type DrillStep = Schemas['DrillStepIn']
export type DrillKind = DrillStep['kind']

/** Everything that happened in one drill of a book; nothing while there is none. */
export function useDrillPlay(inquiry: Ref<number>, number: Ref<number>) {
  return useQuery({
    queryKey: keys.drill(inquiry, number),
    enabled: computed(() => inquiry.value > 0 && number.value >= 0),
    staleTime: Infinity,
    queryFn: async () =>
      taken(
        await client.GET('/api/inquiries/{inquiry_id}/drills/{number}', {
          params: { path: { inquiry_id: inquiry.value, number: number.value } },
        }),
      ),
  })
}

/** The drills of one's own that a study keeps, and the way to keep others in their place. */
export function useOwnDrills(study: Ref<number>) {
  const queries = useQueryClient()
  const query = useQuery({
    queryKey: keys.ownDrills(study),
    queryFn: async () => taken(await client.GET('/api/studies/{study_id}/drills', { params: { path: { study_id: study.value } } })),
  })
  const keep = useMutation({
    scope: inTurn,
    mutationFn: async (drills: { name: string; steps: DrillStep[] }[]) => {
      taken(await client.PUT('/api/studies/{study_id}/drills', { params: { path: { study_id: study.value } }, body: { drills } }))
    },
    onSettled: () => queries.invalidateQueries({ queryKey: keys.ownDrills(study) }),
  })
  return { drills: computed(() => query.data.value ?? []), keep }
}
