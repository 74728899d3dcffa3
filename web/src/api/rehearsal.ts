import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken, type Schemas } from './client'
import { inTurn, keys } from './keys'

export type Scenario = Schemas['ScenarioOut']
export type Outcome = Schemas['OutcomeOut']
export type PoolPlayed = Schemas['PoolPlayedOut']
export type PoolLimit = Schemas['StatedLimitOut']
export type Rehearsed = Schemas['RehearsedOut']
export type Standing = Schemas['StandingOut']

/** What a study rehearses, and the way to keep another. */
export function useScenario(study: Ref<number>) {
  const queries = useQueryClient()
  const query = useQuery({
    queryKey: keys.scenario(study),
    queryFn: async () => taken(await client.GET('/api/studies/{study_id}/rehearsal', { params: { path: { study_id: study.value } } })),
  })
  const keep = useMutation({
    scope: inTurn,
    mutationFn: async (scenario: Scenario) => {
      const path = { study_id: study.value }
      taken(await client.PUT('/api/studies/{study_id}/rehearsal', { params: { path }, body: scenario }))
    },
    onSettled: () => queries.invalidateQueries({ queryKey: keys.scenario(study) }),
  })
  return { scenario: computed(() => query.data.value ?? null), keep }
}

/** The autoscaling limits that hold for a variant, and the way to keep others. */
export function usePoolLimits(variant: Ref<number>, fit: Ref<number>) {
  const queries = useQueryClient()
  const query = useQuery({
    queryKey: keys.poolLimits(variant, fit),
    queryFn: async () =>
      taken(await client.GET('/api/variants/{variant_id}/pool-limits', { params: { path: { variant_id: variant.value } } })),
  })
  const keep = useMutation({
    scope: inTurn,
    mutationFn: async (limits: PoolLimit[]) => {
      const path = { variant_id: variant.value }
      taken(await client.PUT('/api/variants/{variant_id}/pool-limits', { params: { path }, body: { limits } }))
    },
    onSettled: () => queries.invalidateQueries({ queryKey: keys.poolLimits() }),
  })
  return { limits: computed(() => query.data.value ?? null), keep }
}

/** The newest rehearsals of a variant; asked for anew when the newest one has ended. */
export function useRehearsals(variant: Ref<number>, newest: Ref<string>) {
  return useQuery({
    queryKey: keys.rehearsals(variant, newest),
    queryFn: async () =>
      taken(await client.GET('/api/variants/{variant_id}/rehearsals', { params: { path: { variant_id: variant.value } } })),
  })
}

/** One rehearsal by its number; nothing while none is chosen. */
export function useRehearsalRun(inquiry: Ref<number>) {
  return useQuery({
    queryKey: keys.rehearsalRun(inquiry),
    enabled: computed(() => inquiry.value > 0),
    staleTime: Infinity,
    queryFn: async () => taken(await client.GET('/api/inquiries/{inquiry_id}', { params: { path: { inquiry_id: inquiry.value } } })),
  })
}

/** What stands at a moment of a rehearsal; nothing while no moment is chosen. */
export function useMoment(inquiry: Ref<number>, at: Ref<number | null>) {
  return useQuery({
    queryKey: keys.rehearsalMoment(inquiry, at),
    enabled: computed(() => inquiry.value > 0 && at.value !== null),
    staleTime: Infinity,
    queryFn: async () =>
      taken(
        await client.GET('/api/inquiries/{inquiry_id}/moment', {
          params: { path: { inquiry_id: inquiry.value }, query: { at_s: at.value ?? 0 } },
        }),
      ),
  })
}
