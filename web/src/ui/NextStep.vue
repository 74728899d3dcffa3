<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import type { Bench } from '../api/client'

/** What a study that has no fit needs next, in one sentence, and the way there; nothing once it has one. */
const props = defineProps<{ bench: Bench; here: string; mayEdit: boolean; busy: boolean }>()
const emit = defineEmits<{ go: [place: string]; fit: [] }>()
const step = computed(() => {
  const { region, workloads, faults, fit, variant } = props.bench
  if (fit || props.busy) return null
  if (!region || !variant.zones.length)
    return { words: 'Next: choose the region and its zones, so that it is known what is for sale.', place: 'supply', act: 'Go to Supply' }
  if (!workloads.length)
    return { words: 'Next: bring the demand in, as manifests, a Compose file, a CSV or typed rows.', place: 'demand', act: 'Go to Demand' }
  const fault = faults[0]
  if (fault)
    return { words: `Next: ${fault.reason} ${fault.fix}`, place: fault.path.startsWith('demand') ? 'demand' : 'supply', act: 'Go there' }
  return { words: 'Everything a fit needs is there.', place: '', act: 'Compute the first fit' }
})
</script>

<template>
  <div v-if="step" class="next" role="status">
    <span>{{ step.words }}</span>
    <NButton v-if="mayEdit && step.place !== here" size="tiny" type="primary" @click="step.place ? emit('go', step.place) : emit('fit')">{{
      step.act
    }}</NButton>
  </div>
</template>

<style scoped>
.next {
  display: flex;
  gap: 14px;
  align-items: center;
  padding: 5px 14px;
  background: var(--wash);
  border-bottom: 1px solid var(--line);
  font-size: 13px;
}
</style>
