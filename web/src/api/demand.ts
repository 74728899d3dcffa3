import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken, underWay, type Schemas } from './client'
import { inTurn, isOf, keys } from './keys'
import { paced } from './pace'

export type Policy = Schemas['PolicyIn']
export type UsageSet = Schemas['UsageSetOut']
export type Growth = Schemas['DemandGrowthOut']
export type Forecast = Schemas['ForecastOut']
export type Intake = Schemas['IntakeOut']
export type LevelName = Schemas['LevelOut']['level']
export const levelNames: Record<LevelName, string> = { trough: 'trough', usual: 'usual', peak: 'peak', grown: 'grown peak' }

/** Everything about demand that follows from rows; asked again whenever the bench is. */
const OF_DEMAND = ['bench', 'workload', 'levels', 'proposals', 'growth', 'running'] as const

export function useWorkload(variant: Ref<number>, key: Ref<string | null>) {
  return useQuery({
    queryKey: keys.workload(variant, key),
    enabled: computed(() => key.value !== null),
    placeholderData: keepPreviousData,
    queryFn: async () =>
      taken(
        await client.GET('/api/variants/{variant_id}/workloads/{key}', {
          params: { path: { variant_id: variant.value, key: key.value ?? '' } },
        }),
      ),
  })
}

export function useLevels(study: Ref<number>) {
  return useQuery({
    queryKey: keys.levels(study),
    queryFn: async () => taken(await client.GET('/api/studies/{study_id}/levels', { params: { path: { study_id: study.value } } })),
  })
}

export function useProposals(variant: Ref<number>, policy: Ref<Policy>) {
  return useQuery({
    queryKey: keys.proposals(variant, policy),
    placeholderData: keepPreviousData,
    queryFn: async () =>
      taken(
        await client.GET('/api/variants/{variant_id}/proposals', { params: { path: { variant_id: variant.value }, query: policy.value } }),
      ),
  })
}

export function useSeries(study: Ref<number>, workload: Ref<string | null>) {
  return useQuery({
    queryKey: keys.series(study, workload),
    enabled: computed(() => workload.value !== null),
    placeholderData: keepPreviousData,
    queryFn: async () =>
      taken(
        await client.GET('/api/studies/{study_id}/series', {
          params: { path: { study_id: study.value }, query: { workload: workload.value ?? '' } },
        }),
      ),
  })
}

export function useGrowth(
  variant: Ref<number>,
  query: Ref<{ trend: Schemas['FollowIn']['trend']; horizon_days: number; workload: string }>,
) {
  return useQuery({
    queryKey: keys.growth(variant, query),
    placeholderData: keepPreviousData,
    queryFn: async () =>
      taken(await client.GET('/api/variants/{variant_id}/growth', { params: { path: { variant_id: variant.value }, query: query.value } })),
  })
}

/** A set of measurements being read: asked again until a worker has done with it. */
export function useUsage(study: Ref<number>, usage: Ref<number | null>) {
  return useQuery({
    queryKey: keys.usage(study, usage),
    enabled: computed(() => usage.value !== null),
    queryFn: async () =>
      taken(
        await client.GET('/api/studies/{study_id}/usage/{usage_id}', {
          params: { path: { study_id: study.value, usage_id: usage.value ?? 0 } },
        }),
      ),
    refetchInterval: (query) => paced(query, !query.state.data || underWay(query.state.data) ? 300 : false),
  })
}

export function useRunning(variant: Ref<number>) {
  return useQuery({
    queryKey: keys.running(variant),
    queryFn: async () => taken(await client.GET('/api/variants/{variant_id}/running', { params: { path: { variant_id: variant.value } } })),
  })
}

/** What hangs together with a workload. */
export function useRelations(variant: Ref<number>, key: Ref<string>) {
  return useQuery({
    queryKey: keys.workload('relations', variant, key),
    enabled: computed(() => key.value !== ''),
    queryFn: async () =>
      taken(
        await client.GET('/api/variants/{variant_id}/workloads/{key}/relations', {
          params: { path: { variant_id: variant.value, key: key.value } },
        }),
      ),
  })
}

/** The studies that capacity can be asked of, by name. */
export function useIntakeStudies() {
  return useQuery({ queryKey: keys.intakeStudies(), queryFn: async () => taken(await client.GET('/api/intakes/studies')) })
}

export function useIntakes() {
  return useQuery({ queryKey: keys.intakes(), queryFn: async () => taken(await client.GET('/api/intakes')) })
}

/** Every change of demand beyond the sheet's cells; `then` follows each, for the bench to fit again. */
export function useDemandActions(study: Ref<number>, then: () => void) {
  const queries = useQueryClient()
  const path = computed(() => ({ path: { study_id: study.value } }))
  const onSuccess = async () => {
    await queries.invalidateQueries({ predicate: isOf(...OF_DEMAND, 'intakes') })
    then()
  }
  const change = useMutation({
    scope: inTurn,
    mutationFn: async (body: Partial<Schemas['StudyChange']>) =>
      taken(await client.PATCH('/api/studies/{study_id}', { params: path.value, body: body as Schemas['StudyChange'] })),
    onSuccess,
  })
  const take = useMutation({
    scope: inTurn,
    mutationFn: async (body: Schemas['SizeIn']) =>
      taken(await client.POST('/api/studies/{study_id}/requests', { params: path.value, body })),
    onSuccess,
  })
  const giveBack = useMutation({
    scope: inTurn,
    mutationFn: async (keys: string[]) =>
      taken(await client.POST('/api/studies/{study_id}/requests/given-back', { params: path.value, body: { keys } })),
    onSuccess,
  })
  const follow = useMutation({
    scope: inTurn,
    mutationFn: async (body: Schemas['FollowIn']) =>
      taken(await client.POST('/api/studies/{study_id}/following', { params: path.value, body })),
    onSuccess,
  })
  const decide = useMutation({
    mutationFn: async (choice: { id: number; status: Schemas['DecisionIn']['status']; words: string }) =>
      taken(
        await client.POST('/api/intakes/{intake_id}/decisions', {
          params: { path: { intake_id: choice.id } },
          body: { status: choice.status, words: choice.words },
        }),
      ),
    onSuccess,
  })
  return { change, take, giveBack, follow, decide, ...useUsageActions(study, onSuccess) }
}
/** Reading measurements, stopping that, and making them the study's own. */
function useUsageActions(study: Ref<number>, onSuccess: () => Promise<void>) {
  const read = useMutation({
    mutationFn: async (chosen: { format: string; file: File }) => sendUsage(study.value, chosen.format, chosen.file),
  })
  const stopReading = useMutation({
    mutationFn: async (usage: number) =>
      taken(
        await client.POST('/api/studies/{study_id}/usage/{usage_id}/stop', {
          params: { path: { study_id: study.value, usage_id: usage } },
        }),
      ),
  })
  const takeUsage = useMutation({
    scope: inTurn,
    mutationFn: async (usage: number) =>
      taken(await client.PUT('/api/studies/{study_id}/usage/{usage_id}', { params: { path: { study_id: study.value, usage_id: usage } } })),
    onSuccess,
  })
  return { read, stopReading, takeUsage }
}
export type DemandActions = ReturnType<typeof useDemandActions>

/** Send a file of measurements as a form, which may be far larger than a JSON body. */
async function sendUsage(study: number, format: string, file: File): Promise<UsageSet> {
  const form = new FormData()
  form.append('format', format)
  form.append('file', file)
  const path = { study_id: study }
  return taken(
    await client.POST('/api/studies/{study_id}/usage', {
      params: { path },
      body: form as never,
      bodySerializer: (body: unknown) => body as FormData,
    }),
  )
}

/** A service owner's desk: what a form would cost, and handing it in. */
export function useIntakeDesk() {
  const queries = useQueryClient()
  const preview = useMutation({
    mutationFn: async (body: Schemas['IntakeIn']) => taken(await client.POST('/api/intakes/outlooks', { body })),
  })
  const handIn = useMutation({
    mutationFn: async (body: Schemas['IntakeIn']) => taken(await client.POST('/api/intakes', { body })),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.intakes() }),
  })
  const withdraw = useMutation({
    mutationFn: async (id: number) =>
      taken(
        await client.POST('/api/intakes/{intake_id}/decisions', {
          params: { path: { intake_id: id } },
          body: { status: 'withdrawn', words: '' },
        }),
      ),
    onSuccess: () => queries.invalidateQueries({ queryKey: keys.intakes() }),
  })
  return { preview, handIn, withdraw }
}
