<script setup lang="ts">
import { computed, ref, toRef } from 'vue'
import { useUsedRanges, type StatedAddresses } from '../../../api/addresses'
import type { Bench, Problem } from '../../../api/client'
import FaultList from '../../../ui/FaultList.vue'

/** Ranges in use elsewhere, a line each, to type, to paste, or from a file; what is refused stays as it was typed. */
const props = defineProps<{ bench: Bench; mayEdit: boolean }>()
const stated = computed<StatedAddresses>(() => props.bench.variant.addresses)
const take = useUsedRanges(toRef(() => props.bench.variant.id))
const typed = ref<string | null>(null)
const text = computed(() => typed.value ?? (stated.value.used ?? []).map((used) => `${used.range} ${used.name ?? ''}`.trim()).join('\n'))
const error = computed(() => take.error.value as Problem | null)

function keep(written: string): void {
  typed.value = written
  take.mutate(written, { onSuccess: () => (typed.value = null) })
}
async function load(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  if (file) keep(await file.text())
  input.value = ''
}
</script>

<template>
  <section>
    <h3>In use elsewhere</h3>
    <textarea
      :value="text"
      rows="4"
      spellcheck="false"
      aria-label="ranges in use elsewhere"
      placeholder="10.64.0.0/16 the old platform"
      :readonly="!mayEdit"
      :aria-invalid="!!error"
      @input="typed = ($event.target as HTMLTextAreaElement).value"
      @change="keep(($event.target as HTMLTextAreaElement).value)"
    />
    <input v-if="mayEdit" type="file" accept=".csv,.txt" aria-label="file of ranges in use" @change="load" />
    <FaultList v-if="error" :faults="error.faults ?? []" :title="error.message" />
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 4px;
  padding-top: 8px;
}
textarea {
  width: 100%;
  font-family: 'JetBrains Mono Variable', monospace;
  font-size: 11px;
  color: inherit;
  background: transparent;
  border: 1px solid var(--line);
}
input {
  font: inherit;
  font-size: 11px;
  color: inherit;
}
</style>
