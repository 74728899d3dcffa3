import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken, underWay, type Problem, type Schemas } from './client'
import { keys } from './keys'
import { paced } from './pace'

export type SweepLine = Schemas['SweepLineOut']
export type Sweep = Schemas['SweepOut']
export type SweepPoint = Schemas['SweepPointOut']
export type SweepOutcome = Schemas['SweepOutcomeOut']
export type SweepValue = Schemas['SweepValueOut']

/** The sweeps of a study, asked for where they are shown, and again while one is under way; and the ways to begin, stop, resume and delete one. */
export function useSweeps(study: Ref<number>, shown: Ref<boolean>) {
  const queries = useQueryClient()
  const key = computed(() => keys.sweeps(study.value))
  const query = useQuery({
    queryKey: key,
    enabled: shown,
    queryFn: async () => taken(await client.GET('/api/studies/{study_id}/sweeps', { params: { path: { study_id: study.value } } })) ?? [],
    refetchInterval: (query) => paced(query, (query.state.data as SweepLine[] | undefined)?.some(underWay) ? 1_500 : false),
  })
  const again = () => queries.invalidateQueries({ queryKey: keys.sweeps() })
  const of = (sweep: number) => ({ path: { sweep_id: sweep } })
  const start = useMutation<SweepLine | undefined, Problem, { variant: number; sentence: string }>({
    mutationFn: async ({ variant, sentence }) =>
      taken(await client.POST('/api/variants/{variant_id}/sweeps', { params: { path: { variant_id: variant } }, body: { sentence } })),
    onSettled: again,
  })
  const stop = useMutation({
    mutationFn: async (sweep: number) => taken(await client.POST('/api/sweeps/{sweep_id}/stop', { params: of(sweep) })),
    onSettled: again,
  })
  const resume = useMutation({
    mutationFn: async (sweep: number) => taken(await client.POST('/api/sweeps/{sweep_id}/resume', { params: of(sweep) })),
    onSettled: again,
  })
  const remove = useMutation({
    mutationFn: async (sweep: number) => taken(await client.DELETE('/api/sweeps/{sweep_id}', { params: of(sweep) })),
    onSettled: again,
  })
  return { lines: computed(() => query.data.value ?? []), start, stop, resume, remove }
}

/** What a sentence asks, read back while it is typed. */
export function useSweepRead(variant: Ref<number>, sentence: Ref<string>) {
  return useQuery<Schemas['SweepReadOut'] | undefined, Problem>({
    queryKey: keys.sweepRead(variant, sentence),
    enabled: computed(() => sentence.value.trim() !== ''),
    retry: false,
    queryFn: async () =>
      taken(
        await client.GET('/api/variants/{variant_id}/sweep-sentence', {
          params: { path: { variant_id: variant.value }, query: { sentence: sentence.value } },
        }),
      ),
  })
}

/** All that is known of a sweep, asked for again as more becomes known: fifty times on the way at most, as it may be thousands of fits. */
export function useSweep(line: Ref<SweepLine | null>) {
  return useQuery({
    queryKey: keys.sweeps(
      'one',
      computed(() => line.value?.id ?? 0),
      computed(() => (line.value ? Math.floor((50 * line.value.known) / line.value.fits) : 0)),
      computed(() => line.value?.status ?? ''),
    ),
    enabled: computed(() => line.value !== null),
    placeholderData: (known: Sweep | undefined) => (known?.id === line.value?.id ? known : undefined),
    queryFn: async () => taken(await client.GET('/api/sweeps/{sweep_id}', { params: { path: { sweep_id: line.value?.id ?? 0 } } })),
  })
}

/** The nodes at a point. */
export function useSweepPoint(sweep: Ref<number>, number: Ref<number | null>) {
  return useQuery({
    queryKey: keys.sweeps('point', sweep, number),
    enabled: computed(() => number.value !== null),
    staleTime: Infinity,
    queryFn: async () =>
      taken(
        await client.GET('/api/sweeps/{sweep_id}/points/{number}', {
          params: { path: { sweep_id: sweep.value, number: number.value ?? 0 } },
        }),
      ),
  })
}

/** Where the points are had as a file, and the problem of one. */
export const sweepFile = (sweep: number) => `/api/sweeps/${sweep}/points.csv`
export const sweepProblem = (sweep: number, number: number) => `/api/sweeps/${sweep}/points/${number}/problem.json`
