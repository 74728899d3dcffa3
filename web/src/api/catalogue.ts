import { useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken } from './client'

export function useRegions() {
  return useQuery({ queryKey: ['regions'], queryFn: async () => taken(await client.GET('/api/catalogue/regions')) })
}

/** What is sold in a region; nothing until one is chosen. */
export function useTypes(region: Ref<number | null>) {
  return useQuery({
    queryKey: ['types', region],
    enabled: computed(() => region.value !== null),
    queryFn: async () =>
      taken(await client.GET('/api/catalogue/regions/{region_id}/types', { params: { path: { region_id: region.value ?? 0 } } })),
  })
}
