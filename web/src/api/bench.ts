import { useIsFetching, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, watch, type Ref } from 'vue'
import { client, taken, underWay, type Bench, type Reading, type Run, type Schemas } from './client'
import { inTurn, isOf, keys } from './keys'
import { followed } from './texts'
import { paced } from './pace'

/** Everything the bench shows of one variant; while a fit runs only the run is asked again, and the bench with every answer it stores. */
export function useBench(variant: Ref<number>) {
  const queries = useQueryClient()
  const bench = useQuery({
    queryKey: keys.bench(variant),
    queryFn: async () => taken(await client.GET('/api/variants/{variant_id}/bench', { params: { path: { variant_id: variant.value } } })),
  })
  const started = computed(() => bench.data.value?.run?.id ?? 0)
  const run = useQuery({
    queryKey: keys.run(started),
    enabled: computed(() => underWay(bench.data.value?.run)),
    queryFn: async () => taken(await client.GET('/api/runs/{run_id}', { params: { path: { run_id: started.value } } })),
    refetchInterval: (query) => paced(query, !query.state.data || underWay(query.state.data as Run) ? 300 : false),
  })
  watch(run.data, (now) => {
    const known = bench.data.value?.run
    if (!now || !known || now.id !== known.id) return
    if (underWay(now) && now.answers === known.answers)
      queries.setQueryData<Bench>(keys.bench(variant.value), (before) => before && { ...before, run: now })
    else void queries.invalidateQueries({ queryKey: keys.bench() })
  })
  return bench
}

/** Whether bench and addresses tell of one state: while either is asked anew, rows of one and proposals of the other may not belong together. */
export function useAddressesSettled() {
  const asking = useIsFetching({ predicate: isOf('bench', 'addresses') })
  return computed(() => asking.value === 0)
}

/** Every change that the bench can make; each is followed by a fit of the variant as it then stands. */
export function useBenchActions(variant: Ref<number>, study: Ref<number | undefined>) {
  const queries = useQueryClient()
  const known = () => queries.getQueryData<Bench>(keys.bench(variant.value))?.edits
  const again = () =>
    queries.invalidateQueries({
      predicate: isOf(
        'bench',
        'matrix',
        'type',
        'outlooks',
        'workload',
        'levels',
        'proposals',
        'growth',
        'running',
        'series',
        'availability',
        'improvements',
        'inquiry',
        // What is billed and what has addresses may change while the plan stays.
        'bill',
        'bridge',
        'commitments',
        'actual',
        'addresses',
        'prerequisites',
        'comparison',
        'signOffs',
        'revisions',
      ),
    })
  const path = computed(() => ({ path: { variant_id: variant.value } }))
  const studyPath = computed(() => ({ path: { study_id: study.value ?? 0 } }))

  const fit = useMutation({
    mutationFn: async () => taken(await client.POST('/api/variants/{variant_id}/runs', { params: path.value })),
    onSettled: again,
  })
  const refit = async () => {
    await again()
    const bench = queries.getQueryData<Bench>(keys.bench(variant.value))
    if (bench && !bench.fit_is_current && bench.faults.length === 0) fit.mutate()
  }
  const stop = useMutation({
    mutationFn: async (run: number) => taken(await client.POST('/api/runs/{run_id}/stop', { params: { path: { run_id: run } } })),
    onSettled: again,
  })
  const change = useMutation({
    scope: inTurn,
    mutationFn: async (body: Partial<Schemas['VariantChange']>) =>
      taken(await client.PATCH('/api/variants/{variant_id}', { params: path.value, body: body as Schemas['VariantChange'] })),
    onSuccess: refit,
  })
  const edit = useMutation({
    scope: inTurn,
    mutationFn: async (body: Schemas['DemandEdit']) =>
      taken(await client.PATCH('/api/studies/{study_id}/demand', { params: studyPath.value, body })),
    onSuccess: refit,
  })
  const preview = useMutation({
    mutationFn: async (body: Schemas['ImportIn']): Promise<Reading> => {
      const found = taken(await client.POST('/api/studies/{study_id}/readings', { params: studyPath.value, body }))
      return 'status' in found ? ((await followed(study.value ?? 0, found)).reading as Reading) : found
    },
  })
  const take = useMutation({
    scope: inTurn,
    mutationFn: async (body: Schemas['ImportIn']): Promise<{ rows: number }> => {
      const found = taken(await client.POST('/api/studies/{study_id}/imports', { params: studyPath.value, body }))
      return 'status' in found ? { rows: (await followed(study.value ?? 0, found)).rows ?? 0 } : found
    },
    onSuccess: refit,
  })
  const undo = useMutation({
    scope: inTurn,
    mutationFn: async () =>
      taken(await client.POST('/api/studies/{study_id}/undo', { params: { ...studyPath.value, query: { edit_id: known()?.undo_id } } })),
    onSuccess: refit,
  })
  const redo = useMutation({
    scope: inTurn,
    mutationFn: async () =>
      taken(await client.POST('/api/studies/{study_id}/redo', { params: { ...studyPath.value, query: { edit_id: known()?.redo_id } } })),
    onSuccess: refit,
  })
  const useRates = useMutation({
    scope: inTurn,
    mutationFn: async (sheet: number) =>
      taken(await client.PUT('/api/studies/{study_id}/rates', { params: studyPath.value, body: { sheet_id: sheet } })),
    onSuccess: refit,
  })
  return { refit, fit, stop, change, edit, preview, take, undo, redo, useRates }
}

export type BenchActions = ReturnType<typeof useBenchActions>
