<script setup lang="ts">
import { computed, toRef } from 'vue'
import type { BenchActions } from '../../../api/bench'
import { planId, type Bench } from '../../../api/client'
import { usePrerequisites, type StatedBuild } from '../../../api/preflight'
import DraftField from '../../../ui/DraftField.vue'

/** What must exist before the build, in the order in which it is needed; who owns it, and what is there. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const query = usePrerequisites(
  toRef(() => props.bench.variant.id),
  computed(() => planId(props.bench)),
)
const rows = computed(() => query.data.value ?? [])
const done = computed(() => rows.value.filter((row) => row.done).length)
function keep(code: string, change: { owner?: string; done?: boolean }, kept?: () => void): void {
  props.actions.change.mutate({ build: { done: { [code]: change } } as unknown as StatedBuild }, { onSuccess: kept })
}
</script>

<template>
  <section aria-label="what must exist before the build">
    <h2>What must exist before the build: {{ done }} of {{ rows.length }} there</h2>
    <table>
      <thead>
        <tr>
          <th>there</th>
          <th>what</th>
          <th>why</th>
          <th>who owns it</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="row.code" :class="{ done: row.done }">
          <td>
            <input
              type="checkbox"
              :checked="row.done"
              :disabled="!mayEdit"
              :aria-label="`there: ${row.what}`"
              @change="keep(row.code, { done: ($event.target as HTMLInputElement).checked })"
            />
          </td>
          <td>{{ row.what }}</td>
          <td class="quiet">{{ row.why }}</td>
          <td>
            <DraftField
              wide
              title=""
              :name="`who owns: ${row.what}`"
              :value="row.owner"
              :may-edit="mayEdit"
              @keep="(owner, kept) => keep(row.code, { owner }, kept)"
            />
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
input[type='checkbox'] {
  accent-color: var(--petrol);
}
.done td {
  color: var(--quiet);
}
</style>
