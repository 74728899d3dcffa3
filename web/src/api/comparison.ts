import { keepPreviousData, useMutation, useQuery, useQueryClient } from '@tanstack/vue-query'
import { computed, type Ref } from 'vue'
import { client, taken, type Schemas } from './client'
import { inTurn, isOf, keys } from './keys'

export type Comparison = Schemas['ComparisonOut']
export type Column = Schemas['ColumnOut']
export type Against = Schemas['AgainstOut']
export type FigureLine = Schemas['FigureLineOut']
export type NodeCount = Schemas['NodeCountOut']
export type VariantRef = Schemas['VariantRef']

/** Plans of a study beside each other, named by their keys; none: the reference and the next variant with a plan. */
export function useComparison(study: Ref<number>, of: Ref<string[]>, awaited: Ref<boolean>) {
  return useQuery({
    // A fit that was asked for here is looked for until it stands.
    refetchInterval: () => (awaited.value ? 2000 : false),
    queryKey: keys.comparison(study, of),
    retry: false,
    placeholderData: (known: Comparison | undefined) => known,
    queryFn: async () =>
      taken(
        await client.GET('/api/studies/{study_id}/comparison', { params: { path: { study_id: study.value }, query: { of: of.value } } }),
      ),
  })
}

/** What makes each of the plans cost what it does beside the first one; asked for once they are shown, as it takes longest of all. */
export function useBridges(study: Ref<number>, of: Ref<string[]>, shown: Ref<boolean>) {
  return useQuery({
    queryKey: keys.comparison('bridges', study, of),
    enabled: computed(() => shown.value && of.value.length > 1),
    retry: false,
    placeholderData: keepPreviousData,
    queryFn: async () =>
      taken(
        await client.GET('/api/studies/{study_id}/comparison/bridges', {
          params: { path: { study_id: study.value }, query: { of: of.value } },
        }),
      ),
  })
}

/** Where the same is had as a file. */
export function comparisonFile(study: number, of: string[], kind: 'md' | 'csv'): string {
  return `/api/studies/${study}/comparison.${kind}?${of.map((key) => `of=${encodeURIComponent(key)}`).join('&')}`
}

/** What arranges the variants of a study; each of it is an edit of the study, and undone like one. */
export function useArrangement(study: Ref<number>) {
  const queries = useQueryClient()
  const again = () => queries.invalidateQueries({ predicate: isOf('comparison', 'bench', 'studies', 'revisions', 'signOffs') })
  const of = (variant: number) => ({ path: { variant_id: variant } })
  const arrange = useMutation({
    scope: inTurn,
    mutationFn: async ({ variant, ...body }: { variant: number } & Partial<Schemas['ArrangeIn']>) =>
      taken(await client.PATCH('/api/variants/{variant_id}/arrangement', { params: of(variant), body: body as Schemas['ArrangeIn'] })),
    onSuccess: again,
  })
  const remove = useMutation({
    scope: inTurn,
    mutationFn: async (variant: number) => taken(await client.DELETE('/api/variants/{variant_id}', { params: of(variant) })),
    onSuccess: async () => {
      // Where the variant itself is shown it is gone: benches are asked for anew when they are opened, and this one never again.
      await queries.invalidateQueries({ predicate: isOf('bench'), refetchType: 'none' })
      await queries.invalidateQueries({ predicate: isOf('comparison', 'studies') })
    },
  })
  const copy = useMutation({
    scope: inTurn,
    mutationFn: async ({ variant, name }: { variant: number; name: string }) =>
      taken(await client.POST('/api/variants/{variant_id}/copies', { params: of(variant), body: { name } })),
    onSuccess: again,
  })
  const takeOver = useMutation({
    scope: inTurn,
    mutationFn: async ({ variant, source, only }: { variant: number; source: number; only: string[] }) =>
      taken(await client.POST('/api/variants/{variant_id}/changes', { params: of(variant), body: { source_id: source, only, why: '' } })),
    onSuccess: async (_, { variant }) => {
      await client.POST('/api/variants/{variant_id}/runs', { params: of(variant) })
      await again()
    },
  })
  const undo = useMutation({
    scope: inTurn,
    mutationFn: async () => taken(await client.POST('/api/studies/{study_id}/undo', { params: { path: { study_id: study.value } } })),
    onSuccess: again,
  })
  const every = [arrange, remove, copy, takeOver, undo]
  /** What the last of them was refused for; null: nothing. */
  const refused = computed(() => every.find((each) => each.error.value)?.error.value ?? null)
  const settle = () => every.forEach((each) => each.reset())
  return { arrange, remove, copy, takeOver, undo, refused, settle }
}

export type Arrangement = ReturnType<typeof useArrangement>
