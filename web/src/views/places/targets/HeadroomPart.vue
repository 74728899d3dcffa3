<script setup lang="ts">
import { NInputNumber } from 'naive-ui'
import { ref, watch } from 'vue'
import type { BenchActions } from '../../../api/bench'
import type { Bench } from '../../../api/client'

/** Room that stays free, by share of every node and by replicas in every zone: promises like the others, with their prices among them. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const resources = [
  { name: 'cpu_millicores', label: 'CPU' },
  { name: 'memory_bytes', label: 'memory' },
] as const
const typed = ref<Record<string, number | null>>({})
const replicas = ref<number | null>(null)
watch(
  () => props.bench.variant.headroom,
  (stated) => (typed.value = { ...stated }),
  { immediate: true },
)
watch(
  () => props.bench.variant.headroom_replicas,
  (stated) => (replicas.value = stated || null),
  { immediate: true },
)

function set(): void {
  const wanted = Object.fromEntries(Object.entries(typed.value).filter(([, percent]) => percent)) as Record<string, number>
  if (JSON.stringify(wanted) !== JSON.stringify(props.bench.variant.headroom)) props.actions.change.mutate({ headroom: wanted })
}
function setReplicas(): void {
  const wanted = replicas.value ?? 0
  if (wanted !== props.bench.variant.headroom_replicas) props.actions.change.mutate({ headroom_replicas: wanted })
}
</script>

<template>
  <div class="headroom">
    <span
      ><strong>headroom</strong>
      <span class="quiet">Free on every node at the level that is fitted, also when a lost zone’s replicas have landed.</span></span
    >
    <label v-for="resource in resources" :key="resource.name">
      <NInputNumber
        v-model:value="typed[resource.name]"
        size="small"
        :min="0"
        :max="60"
        :precision="0"
        :show-button="false"
        :disabled="!mayEdit"
        placeholder="0"
        :input-props="{ 'aria-label': `percent of ${resource.label} that stays free` }"
        @blur="set"
        @keydown.enter="set"
        ><template #suffix>% {{ resource.label }}</template></NInputNumber
      >
    </label>
    <span class="quiet">And in every zone room for so many more replicas of the largest workload; no lost zone’s replicas land in it.</span>
    <label class="both">
      <NInputNumber
        v-model:value="replicas"
        size="small"
        :min="0"
        :max="100"
        :precision="0"
        :show-button="false"
        :disabled="!mayEdit"
        placeholder="0"
        :input-props="{ 'aria-label': 'more replicas of the largest workload that every zone has room for' }"
        @blur="setReplicas"
        @keydown.enter="setReplicas"
        ><template #suffix>{{ replicas === 1 ? 'replica' : 'replicas' }} a zone</template></NInputNumber
      >
    </label>
  </div>
</template>

<style scoped>
.headroom {
  display: grid;
  grid-template-columns: 1fr 104px 118px;
  gap: 8px;
  align-items: center;
}
.both {
  grid-column: 2 / -1;
}
</style>
