import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken, type Schemas } from './client'
import { inTurn, isOf, keys } from './keys'

export type AddressPlans = Schemas['AddressesOut']
export type AddressPlan = Schemas['AddressPlanOut']
export type AddressRange = Schemas['AddressRangeOut']
export type StatedAddresses = Schemas['AddressesIn']

/** The address plan of a variant's newest plan, asked anew with every fit and every change. */
export function useAddresses(variant: Ref<number>, fit: Ref<number>) {
  return useQuery({
    queryKey: keys.addresses(variant, fit),
    enabled: computed(() => fit.value > 0),
    retry: false,
    queryFn: async () =>
      taken(await client.GET('/api/variants/{variant_id}/addresses', { params: { path: { variant_id: variant.value } } })),
  })
}

/** What takes a list of ranges in use elsewhere, in place of those taken before. */
export function useUsedRanges(variant: Ref<number>) {
  const cache = useQueryClient()
  return useMutation({
    scope: inTurn,
    mutationFn: async (text: string) =>
      taken(
        await client.POST('/api/variants/{variant_id}/addresses/used', {
          params: { path: { variant_id: variant.value } },
          body: { text },
        }),
      ),
    onSuccess: () => cache.invalidateQueries({ predicate: isOf('bench', 'addresses') }),
  })
}

/** Whether a plan finds no room, or the ranges of today do not carry it. */
export function fallsShort(told: AddressPlans | undefined): boolean {
  if (!told) return false
  return told.plans.some((plan) => plan.faults.length > 0) || !!told.today?.faults.length || !!told.today?.changes.length
}
