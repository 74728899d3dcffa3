import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken, type Schemas } from './client'
import { isOf, keys } from './keys'

export type Starter = Schemas['StarterOut']
export type FillIn = Schemas['FillIn']

/** The starters of the house. */
export function useStarters() {
  return useQuery({ queryKey: keys.starters('list'), queryFn: async () => taken(await client.GET('/api/starters')) })
}

/** A starter with what it asks for; none: nothing is asked. */
export function useStarter(starter: Ref<number | null>) {
  return useQuery({
    queryKey: keys.starters('one', starter),
    enabled: computed(() => starter.value !== null),
    retry: false,
    queryFn: async () => taken(await client.GET('/api/starters/{starter_id}', { params: { path: { starter_id: starter.value ?? 0 } } })),
  })
}

/** What answers would make; what was shown stays until the next is there. */
export function useTrial(starter: Ref<number>, answers: Ref<FillIn | null>) {
  return useQuery({
    queryKey: keys.starterTrial(starter, answers),
    enabled: computed(() => answers.value !== null),
    retry: false,
    gcTime: 0,
    placeholderData: keepPreviousData,
    queryFn: async ({ signal }) =>
      taken(
        await client.POST('/api/starters/{starter_id}/trials', {
          params: { path: { starter_id: starter.value } },
          body: answers.value as FillIn,
          signal,
        }),
      ),
  })
}

/** What saves starters, their versions, and studies made from them. */
export function useStarterActions() {
  const queries = useQueryClient()
  const again = () => queries.invalidateQueries({ predicate: isOf('starters', 'studies') })
  return {
    save: useMutation({
      mutationFn: async (body: Schemas['StarterIn']) => taken(await client.POST('/api/starters', { body })),
      onSuccess: again,
    }),
    arrange: useMutation({
      mutationFn: async ({ id, ...body }: { id: number } & Partial<Schemas['ArrangeStarterIn']>) =>
        taken(
          await client.PATCH('/api/starters/{starter_id}', {
            params: { path: { starter_id: id } },
            body: body as Schemas['ArrangeStarterIn'],
          }),
        ),
      onSuccess: again,
    }),
    version: useMutation({
      mutationFn: async ({ id, ...body }: { id: number } & Schemas['StarterVersionIn']) =>
        taken(await client.POST('/api/starters/{starter_id}/versions', { params: { path: { starter_id: id } }, body })),
      onSuccess: again,
    }),
    use: useMutation({
      mutationFn: async ({ starter, body }: { starter: number; body: FillIn }) =>
        taken(await client.POST('/api/starters/{starter_id}/studies', { params: { path: { starter_id: starter } }, body })),
      onSuccess: again,
    }),
  }
}

/** From which starter a study was made, and what a newer version would change; null: from none. */
export function useStarterUse(study: Ref<number>) {
  return useQuery({
    queryKey: keys.starters('use', study),
    queryFn: async () => taken(await client.GET('/api/studies/{study_id}/starter', { params: { path: { study_id: study.value } } })),
  })
}
