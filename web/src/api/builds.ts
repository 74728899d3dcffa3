import { useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken, underWay, type Schemas } from './client'
import { inTurn, isOf, keys } from './keys'
import { paced } from './pace'

export type ChangeLine = Schemas['ChangeLineOut']
export type BuildLine = Schemas['BuildLineOut']

export type Drift = Schemas['DriftOut']

const LOOK_EVERY_MS = 1000

export type Goal = Schemas['BuildLineOut']['goal']

/** What is done from what stands to a variant's newest plan, to another version, to new nodes, or until nothing stands. */
export function useToDo(variant: Ref<number>, fit: Ref<number>, goal: Ref<Goal>, version: Ref<string>, volumes: Ref<boolean>) {
  return useQuery({
    queryKey: keys.builds('to-do', variant, fit, goal, version, volumes),
    queryFn: async () =>
      taken(
        await client.GET('/api/variants/{variant_id}/to-do', {
          params: { path: { variant_id: variant.value }, query: { goal: goal.value, version: version.value, volumes: volumes.value } },
        }),
      ),
  })
}

/** Builds of a study, the newest first; asked for often while one is under way. */
export function useBuilds(study: Ref<number>) {
  return useQuery({
    queryKey: keys.builds('of', study),
    queryFn: async () => taken(await client.GET('/api/studies/{study_id}/builds', { params: { path: { study_id: study.value } } })),
    refetchInterval: (query) => paced(query, query.state.data?.some(underWay) ? 3 * LOOK_EVERY_MS : false),
  })
}

/** One of them whole, live while it is under way; 0: none. */
export function useBuild(id: Ref<number>) {
  return useQuery({
    queryKey: keys.builds('one', id),
    enabled: computed(() => id.value > 0),
    queryFn: async () => taken(await client.GET('/api/builds/{build_id}', { params: { path: { build_id: id.value } } })),
    refetchInterval: (query) => paced(query, underWay(query.state.data) ? LOOK_EVERY_MS : false),
  })
}

/** Begin what is listed, wish something of a build, and follow one again. */
export function useBuildActions() {
  const queries = useQueryClient()
  const onSettled = () => queries.invalidateQueries({ predicate: isOf('builds') })
  return {
    start: useMutation({
      scope: inTurn,
      mutationFn: async ({ variant, ...body }: { variant: number } & Schemas['StartBuildIn']) =>
        taken(await client.POST('/api/variants/{variant_id}/builds', { params: { path: { variant_id: variant } }, body })),
      onSettled,
    }),
    wish: useMutation({
      mutationFn: async ({ id, wish }: { id: number } & Schemas['WishIn']) =>
        taken(await client.POST('/api/builds/{build_id}/wishes', { params: { path: { build_id: id } }, body: { wish } })),
      onSettled,
    }),
    tick: useMutation({
      scope: inTurn,
      mutationFn: async ({ id, ...body }: { id: number } & Schemas['TickIn']) =>
        taken(await client.POST('/api/builds/{build_id}/ticks', { params: { path: { build_id: id } }, body })),
      onSettled,
    }),
    follow: useMutation({
      mutationFn: async (id: number) => taken(await client.POST('/api/builds/{build_id}/follow', { params: { path: { build_id: id } } })),
      onSettled,
    }),
  }
}

/** What runs against the plan; null: no cluster was listed. */
export function useAgainst(variant: Ref<number>) {
  return useQuery({
    queryKey: keys.builds('against', variant),
    queryFn: async () => taken(await client.GET('/api/variants/{variant_id}/drift', { params: { path: { variant_id: variant.value } } })),
  })
}

/** Take a listing (no text: ask the cluster that was built for one), and say who is right where something differs. */
export function useAgainstActions(variant: Ref<number>, study: Ref<number>) {
  const queries = useQueryClient()
  const onSettled = () => queries.invalidateQueries({ predicate: isOf('builds', 'running', 'bench', 'studies', 'revisions') })
  return {
    list: useMutation({
      scope: inTurn,
      mutationFn: async (body: Schemas['ListingIn'] | null) => {
        const path = { study_id: study.value }
        return body === null
          ? taken(await client.POST('/api/studies/{study_id}/listings/fetched', { params: { path } }))
          : taken(await client.POST('/api/studies/{study_id}/listings', { params: { path }, body }))
      },
      onSettled,
    }),
    answer: useMutation({
      scope: inTurn,
      mutationFn: async (body: Schemas['DriftAnswerIn']) =>
        taken(await client.POST('/api/variants/{variant_id}/drift/answers', { params: { path: { variant_id: variant.value } }, body })),
      onSettled,
    }),
  }
}
