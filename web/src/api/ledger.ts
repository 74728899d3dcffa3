import { keepPreviousData, useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken, type Schemas } from './client'
import { keys } from './keys'

export type Bill = Schemas['BillOut']
export type By = 'kind' | 'pool' | 'zone' | 'workload' | 'namespace' | 'owner' | 'service' | 'journey'
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
