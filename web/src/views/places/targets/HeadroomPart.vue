<script setup lang="ts">
import { NInputNumber } from 'naive-ui'
import { ref, watch } from 'vue'
import type { BenchActions } from '../../../api/bench'
import type { Bench } from '../../../api/client'

/** Room that stays free on every node: a promise like the others, with its price among them. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const resources = [{ name: 'cpu_millicores', label: 'CPU' }, { name: 'memory_bytes', label: 'memory' }] as const
const typed = ref<Record<string, number | null>>({})
watch(() => props.bench.variant.headroom, (stated) => (typed.value = { ...stated }), { immediate: true })

function set(): void {
  const wanted = Object.fromEntries(Object.entries(typed.value).filter(([, percent]) => percent)) as Record<string, number>
  if (JSON.stringify(wanted) !== JSON.stringify(props.bench.variant.headroom)) props.actions.change.mutate({ headroom: wanted })
}
</script>

<template>
  <div class="headroom">
    <span><strong>headroom</strong> <span class="quiet">Free on every node at the level that is fitted, also when a lost zone’s replicas have landed.</span></span>
    <label v-for="resource in resources" :key="resource.name">
      <NInputNumber v-model:value="typed[resource.name]" size="small" :min="0" :max="60" :precision="0" :show-button="false" :disabled="!mayEdit" placeholder="0" :input-props="{ 'aria-label': `percent of ${resource.label} that stays free` }" @blur="set" @keydown.enter="set"><template #suffix>% {{ resource.label }}</template></NInputNumber>
    </label>
  </div>
</template>

<style scoped>
.headroom { display: grid; grid-template-columns: 1fr 104px 118px; gap: 8px; align-items: center; }
</style>
