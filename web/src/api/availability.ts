import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken, type Schemas } from './client'
import { inTurn, isOf, keys } from './keys'

export type Availability = Schemas['AvailabilityOut']
export type Journey = Schemas['JourneyOut']
export type JourneyLink = Schemas['LinkOut']
export type ChainPart = Schemas['PartOut']
export type Figure = Schemas['FigureOut']
export type Dependency = Schemas['DependencyIn']
export type FrontierPoint = Schemas['FrontierPointOut']
export type RegionPlan = Schemas['RegionPlanOut']
export type Promises = Partial<Schemas['PromisesIn']>

/** How long the journeys of a variant are away over its latest fit, asked anew with every fit. */
export function useAvailability(variant: Ref<number>, fit: Ref<number>) {
  return useQuery({
    queryKey: keys.availability(variant, fit),
    queryFn: async () =>
      taken(await client.GET('/api/variants/{variant_id}/availability', { params: { path: { variant_id: variant.value } } })),
    placeholderData: (before) => before,
  })
}

/** What would help one journey; each step is computed anew on the server. */
export function useWays(variant: Ref<number>, fit: Ref<number>, journey: Ref<string>) {
  return useQuery({
    queryKey: keys.improvements(variant, fit, journey),
    enabled: computed(() => journey.value !== ''),
    queryFn: async () =>
      taken(
        await client.GET('/api/variants/{variant_id}/ways', {
          params: { path: { variant_id: variant.value }, query: { journey: journey.value } },
        }),
      ),
  })
}

/** State journeys, dependencies or failure figures, worked out when their turn comes; what depends on them is asked again. */
export function useStatePromises(study: Ref<number>) {
  const queries = useQueryClient()
  return useMutation({
    scope: inTurn,
    mutationFn: async (stated: () => Promises) =>
      taken(
        await client.PATCH('/api/studies/{study_id}/promises', {
          params: { path: { study_id: study.value } },
          body: stated() as Schemas['PromisesIn'],
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ predicate: isOf('availability', 'improvements', 'bench', 'inquiry') }),
  })
}

/** The journey that is nearest to breaking its promise, or breaks it most. */
export function tightest(all: Availability | undefined): Journey | null {
  const stated = (all?.journeys ?? []).filter((journey) => journey.stated)
  return stated.reduce<Journey | null>(
    (worst, journey) =>
      !worst || journey.minutes_month / journey.allowed_minutes > worst.minutes_month / worst.allowed_minutes ? journey : worst,
    null,
  )
}
