import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken, type Schemas } from './client'
import { keys } from './keys'

export type Bill = Schemas['BillOut']
export type By = 'kind' | 'pool' | 'zone' | 'workload' | 'namespace' | 'owner' | 'service' | 'journey'
export type Commitments = Schemas['CommitmentsOut']
export type Commitment = Schemas['CommitmentOut']
export type HoursFrom = Commitments['source']
export interface BillAsked {
  period: string
  by: By
  spread: boolean
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
