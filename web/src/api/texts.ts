import { ref } from 'vue'
import { client, Problem, taken, underWay, type Schemas } from './client'

type Text = Schemas['TextOut']

/** The large text that a worker reads at present, and how far it is. */
export const large = ref<Text | null>(null)

const EVERY_MS = 500

/** Wait until a worker has read a large text; return what came of it, or throw why there is nothing. */
export async function followed(study: number, first: Text): Promise<Text> {
  large.value = first
  try {
    while (underWay(large.value)) {
      await new Promise((resolve) => setTimeout(resolve, EVERY_MS))
      large.value = taken(
        await client.GET('/api/studies/{study_id}/texts/{text_id}', { params: { path: { study_id: study, text_id: first.id } } }),
      )
    }
    if (large.value.status === 'failed') throw new Problem(422, large.value.message, large.value.faults)
    return large.value
  } finally {
    large.value = null
  }
}

/** Ask the worker to stop reading. */
export async function stopReading(study: number): Promise<void> {
  if (large.value)
    taken(
      await client.POST('/api/studies/{study_id}/texts/{text_id}/stop', { params: { path: { study_id: study, text_id: large.value.id } } }),
    )
}
