import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, ref, watch, type Ref } from 'vue'
import { client, taken, underWay, type Bench, type Inquiry, type Question } from './client'
import { keys } from './keys'
import type { LevelName } from './demand'
import { paced } from './pace'

/** What a step must save a month for each replica moved and for each node brought; asked of steps alone. */
export type CostOfChange = Partial<Record<'per_move' | 'per_node', string>>

/**
 * The newest answer to a question of a variant, asked again while a worker has to do with it; and the ways to ask and stop. `awaited` tells
 * that a worker is about to ask by itself.
 */
export function useInquiry(
  variant: Ref<number>,
  question: Question,
  costOfChange: Ref<CostOfChange> = ref({}),
  awaited: (now: Inquiry | null) => boolean = () => false,
) {
  const queries = useQueryClient()
  const key = computed(() => keys.inquiry(question, variant.value))
  const query = useQuery({
    queryKey: key,
    queryFn: async () =>
      taken(
        await client.GET('/api/variants/{variant_id}/inquiries/{question}', { params: { path: { variant_id: variant.value, question } } }),
      ) ?? null,
    refetchInterval: (query) => {
      const known = (query.state.data as Inquiry | null | undefined) ?? null
      return paced(query, underWay(known) ? 600 : awaited(known) ? 2_000 : false)
    },
  })
  const again = () => queries.invalidateQueries({ queryKey: key.value })
  const ask = useMutation({
    mutationFn: async () =>
      taken(
        await client.POST('/api/variants/{variant_id}/inquiries', {
          params: { path: { variant_id: variant.value } },
          body: { question, ...costOfChange.value },
        }),
      ),
    onSettled: again,
  })
  const stop = useMutation({
    mutationFn: async (inquiry: number) =>
      taken(await client.POST('/api/inquiries/{inquiry_id}/stop', { params: { path: { inquiry_id: inquiry } } })),
    onSettled: again,
  })
  const now = computed(() => query.data.value ?? null)
  watch(
    () => awaited(now.value),
    (begins) => begins && again(),
  )
  return { now, loaded: computed(() => query.isSuccess.value), ask, stop }
}

/** The answer to a question of the bench's own fit, asked by itself as soon as that fit stands and may be asked about. */
export function useInquiryOfFit(bench: Ref<Bench>, question: Question, mayAsk: Ref<boolean>) {
  const inquiry = useInquiry(
    computed(() => bench.value.variant.id),
    question,
  )
  const own = computed(() => (inquiry.now.value?.fit_id === bench.value.fit?.id ? inquiry.now.value : null))
  const missing = computed(() => inquiry.loaded.value && bench.value.fit_is_current && !underWay(bench.value.run) && !own.value)
  watch(missing, (now) => now && mayAsk.value && !inquiry.ask.isPending.value && inquiry.ask.mutate(), { immediate: true })
  return { ...inquiry, own }
}

/** One level's fit of a design; nothing while no level is chosen. */
export function useLevelFit(inquiry: Ref<number>, level: Ref<LevelName | null>) {
  return useQuery({
    queryKey: keys.levelFit(inquiry, level),
    enabled: computed(() => inquiry.value > 0 && level.value !== null),
    staleTime: Infinity,
    queryFn: async () =>
      taken(
        await client.GET('/api/inquiries/{inquiry_id}/levels/{level}', {
          params: { path: { inquiry_id: inquiry.value, level: level.value ?? 'peak' } },
        }),
      ),
  })
}
