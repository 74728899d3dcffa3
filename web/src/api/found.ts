import { useQuery } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken, type Schemas } from './client'
import { keys } from './keys'

export type Found = Schemas['FoundOut']

/** What holds every word of a text in its name; what was shown stays until the next is there. */
export function useFound(text: Ref<string>, variant: Ref<number | null>) {
  return useQuery({
    queryKey: keys.found(text, variant),
    enabled: computed(() => text.value.trim() !== ''),
    placeholderData: (known: Found[] | undefined) => known,
    queryFn: async () => taken(await client.GET('/api/found', { params: { query: { text: text.value, variant_id: variant.value } } })),
  })
}
