<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../../../api/client'
import { survivalWords } from '../../../domain/words'

/** Sizes by what they ask: how each workload survives the loss of a zone, and replicas on top. */
const props = defineProps<{ sizes: Record<string, Schemas['WorkloadSize']> }>()
const groups = computed(() => {
  const found = new Map<string, string[]>()
  for (const [name, size] of Object.entries(props.sizes).sort()) {
    const row = found.get(size.how) ?? []
    row.push(size.extra ? `${name} +${size.extra}` : name)
    found.set(size.how, row)
  }
  return (['standing', 'landing', 'growing', 'none'] as const)
    .filter((how) => found.has(how))
    .map((how) => ({ how, names: found.get(how) ?? [] }))
})
const words = { ...survivalWords, none: 'stay as they are' }
</script>

<template>
  <dl>
    <template v-for="group in groups" :key="group.how"
      ><dt>{{ words[group.how] }}</dt>
      <dd>{{ group.names.join(', ') }}</dd></template
    >
  </dl>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 92px 1fr;
  gap: 4px 8px;
  margin: 0;
  font-size: 12px;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
}
</style>
