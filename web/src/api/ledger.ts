import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken, type Schemas } from './client'
import { keys } from './keys'

export type Bill = Schemas['BillOut']
export type By = 'kind' | 'pool' | 'zone' | 'workload' | 'namespace' | 'owner' | 'service' | 'journey' | 'label'
export type Commitments = Schemas['CommitmentsOut']
export type Commitment = Schemas['CommitmentOut']
export type HoursFrom = Commitments['source']
export interface BillAsked {
  period: string
  by: By
  label: string
  spread: boolean
  measure: 'dominant' | 'weight'
}

/** The bill of a variant's newest plan, asked anew with every fit. */
export function useBill(variant: Ref<number>, fit: Ref<number>, asked: Ref<BillAsked>) {
  return useQuery({
    queryKey: keys.bill(variant, fit, asked),
    enabled: computed(() => fit.value > 0),
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async () =>
      taken(await client.GET('/api/variants/{variant_id}/bill', { params: { path: { variant_id: variant.value }, query: asked.value } })),
  })
}

/** What to commit to for a variant's newest plan, asked anew with every fit and with what is held. */
export function useCommitments(
  variant: Ref<number>,
  fit: Ref<number>,
  asked: Ref<{ source: HoursFrom | undefined; rate: string }>,
  held: Ref<Record<string, number> | undefined>,
) {
  return useQuery({
    queryKey: keys.commitments(variant, fit, asked, held),
    enabled: computed(() => fit.value > 0),
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async () =>
      taken(
        await client.GET('/api/variants/{variant_id}/commitments', {
          params: { path: { variant_id: variant.value }, query: asked.value },
        }),
      ),
  })
}

/** What a plan is compared with: another plan of the study, or an edition of the price list; neither: what comes first. */
export interface ComparedWith {
  before?: number
  edition?: number
}

/** Why a variant's newest plan costs what it does beside another plan of its study, or beside itself at another price list. */
export function useBridge(variant: Ref<number>, fit: Ref<number>, asked: Ref<ComparedWith>) {
  return useQuery({
    queryKey: keys.bridge(variant, fit, asked),
    enabled: computed(() => fit.value > 0),
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async () =>
      taken(
        await client.GET('/api/variants/{variant_id}/bridge', {
          params: { path: { variant_id: variant.value }, query: asked.value },
        }),
      ),
  })
}

/** The months of which actual charges of a variant were taken, the newest first. */
export function useActualMonths(variant: Ref<number>) {
  return useQuery({
    queryKey: keys.actual('months', variant),
    queryFn: async () => taken(await client.GET('/api/variants/{variant_id}/charges', { params: { path: { variant_id: variant.value } } })),
  })
}

/** A month of actual charges beside the plan or another month, and what takes or drops one. */
export function useActual(variant: Ref<number>, fit: Ref<number>, month: Ref<string>, beside: Ref<string>) {
  const cache = useQueryClient()
  const changed = async () => {
    await cache.invalidateQueries({ queryKey: keys.actual() })
  }
  const path = computed(() => ({ variant_id: variant.value }))
  const shown = useQuery({
    queryKey: keys.actual('month', variant, fit, month, beside),
    enabled: computed(() => fit.value > 0 && month.value !== ''),
    placeholderData: keepPreviousData,
    retry: false,
    queryFn: async () =>
      taken(
        await client.GET('/api/variants/{variant_id}/charges/{month}', {
          params: { path: { ...path.value, month: month.value }, query: { beside: beside.value } },
        }),
      ),
  })
  const take = useMutation({
    mutationFn: async (body: Schemas['ChargesIn']) =>
      taken(await client.POST('/api/variants/{variant_id}/charges', { params: { path: path.value }, body })),
    onSuccess: changed,
  })
  const drop = useMutation({
    mutationFn: async (gone: string) => {
      await client.DELETE('/api/variants/{variant_id}/charges/{month}', { params: { path: { ...path.value, month: gone } } })
    },
    onSuccess: changed,
  })
  return { shown, take, drop }
}
