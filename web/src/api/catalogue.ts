import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, markRaw, type Ref } from 'vue'
import { client, taken, underWay, type Matrix, type Schemas } from './client'
import { keys } from './keys'

export function useRegions() {
  return useQuery({ queryKey: keys.regions(), queryFn: async () => taken(await client.GET('/api/catalogue/regions')) })
}

/** What is offered where in a variant's region; nothing until one is chosen. */
export function useMatrix(variant: Ref<number>, region: Ref<number | null>) {
  return useQuery({
    queryKey: keys.matrix(variant, region),
    enabled: computed(() => region.value !== null),
    placeholderData: keepPreviousData,
    structuralSharing: false,
    // Ten thousand types need no watching, they never change: raw, they are read ten times as fast.
    // The client's own reading of the contract forgets the length of tuples; the contract's type is the right one.
    queryFn: async () =>
      markRaw(taken(await client.GET('/api/variants/{variant_id}/matrix', { params: { path: { variant_id: variant.value } } })) as Matrix),
  })
}

/** One type in full; asked when it is chosen. */
export function useType(variant: Ref<number>, region: Ref<number | null>, name: Ref<string | null>) {
  return useQuery({
    queryKey: keys.type(variant, region, name),
    enabled: computed(() => name.value !== null && region.value !== null),
    placeholderData: keepPreviousData,
    queryFn: async () =>
      taken(
        await client.GET('/api/variants/{variant_id}/types/{name}', {
          params: { path: { variant_id: variant.value, name: name.value ?? '' } },
        }),
      ),
  })
}

/** Every region for the variant's demand and promise. */
export function useOutlooks(variant: Ref<number>, inputs: Ref<string>) {
  return useQuery({
    queryKey: keys.outlooks(variant, inputs),
    queryFn: async () => taken(await client.GET('/api/variants/{variant_id}/regions', { params: { path: { variant_id: variant.value } } })),
  })
}

/** Providers with their editions; asked again while a list is being read. */
export function useProviders() {
  return useQuery({
    queryKey: keys.providers(),
    queryFn: async () => taken(await client.GET('/api/catalogue/providers')),
    refetchInterval: (query) => {
      const providers = query.state.data as Schemas['ProviderOut'][] | undefined
      return providers?.some((entry) => underWay(entry.reading)) ? 400 : false
    },
  })
}

export function useRates() {
  return useQuery({ queryKey: keys.rates(), queryFn: async () => taken(await client.GET('/api/catalogue/rates')) })
}

/** Every change to price lists and rates. */
export function useListActions() {
  const queries = useQueryClient()
  const again = () => queries.invalidateQueries()
  const path = (reading: number) => ({ params: { path: { reading_id: reading } } })
  const read = useMutation({
    mutationFn: async (provider: number) =>
      taken(await client.POST('/api/catalogue/providers/{provider_id}/readings', { params: { path: { provider_id: provider } } })),
    onSettled: again,
  })
  const readFile = useMutation({
    mutationFn: async (body: Schemas['ListFileIn']) => taken(await client.POST('/api/catalogue/files', { body })),
    onSuccess: again,
  })
  const stop = useMutation({
    mutationFn: async (reading: number) => taken(await client.POST('/api/catalogue/readings/{reading_id}/stop', path(reading))),
    onSettled: again,
  })
  const take = useMutation({
    mutationFn: async (reading: number) => taken(await client.POST('/api/catalogue/readings/{reading_id}/take', path(reading))),
    onSettled: again,
  })
  const stateRates = useMutation({
    mutationFn: async (body: Schemas['RatesIn']) => taken(await client.POST('/api/catalogue/rates', { body })),
    onSuccess: again,
  })
  return { read, readFile, stop, take, stateRates }
}
