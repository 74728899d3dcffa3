<script setup lang="ts">
import { computed, ref } from 'vue'
import type { BenchActions } from '../../../api/bench'
import type { Bench, Problem } from '../../../api/client'
import FaultList from '../../../ui/FaultList.vue'
import HeldInput from '../../../ui/HeldInput.vue'

/** Nodes that are committed to already, by instance type: they are used first and are nobody's saving. */
const props = defineProps<{ bench: Bench; held: Record<string, number>; actions: BenchActions; mayEdit: boolean }>()
const reason = ref('')
const error = computed(() => props.actions.change.error.value as Problem | null)
const faults = computed(() =>
  (error.value?.faults ?? []).filter((fault) => fault.path.startsWith('beside.held') || fault.code === 'ledger.day'),
)
const ends = computed(() => props.bench.variant.beside.held_until ?? {})
const text = computed(() =>
  Object.entries(props.held)
    .map(([name, count]) => `${count} ${name}${ends.value[name] ? ` until ${ends.value[name]}` : ''}`)
    .join(', '),
)

interface Read {
  wrong: string
  held: Record<string, number>
  until: Record<string, string>
}
/** Reads numbers of instance types, each with the day on which its commitment ends where that is said. */
function read(text: string): Read {
  const found: Read = { wrong: '', held: {}, until: {} }
  const parts = text.split(',').map((piece) => piece.trim())
  for (const part of parts.filter(Boolean)) {
    const [, count, name, day] = /^(\d{1,6})\s*[x×]?\s*(\S+?)(?:\s+until\s+(\d{4}-\d{2}-\d{2}))?$/.exec(part) ?? []
    if (!count || !name || !Number(count))
      return { ...found, wrong: `“${part}” is no number of an instance type. Write such as: 4 tern-8 until 2027-06-30, 2 eider-4.` }
    found.held[name] = (found.held[name] ?? 0) + Number(count)
    if (day) found.until[name] = day
  }
  return found
}
/** What stood there, each taken away: what was written anew stands over it, and what somebody else added meanwhile stays. */
function gone(known: Record<string, unknown>): Record<string, null> {
  return Object.fromEntries(Object.keys(known).map((name) => [name, null]))
}
function keep(text: string, kept: () => void): void {
  const { held, until } = read(text)
  const beside = { held: { ...gone(props.held), ...held }, held_until: { ...gone(ends.value), ...until } }
  props.actions.change.mutate({ beside }, { onSuccess: kept })
}
</script>

<template>
  <section>
    <h3>Committed already</h3>
    <HeldInput
      v-if="mayEdit"
      :value="text"
      :may-edit="mayEdit"
      :check="(typed) => read(typed).wrong"
      :wrong="faults.length > 0"
      aria-label="nodes committed already"
      placeholder="such as 4 tern-8 until 2027-06-30, 2 eider-4"
      @reason="reason = $event"
      @keep="keep"
    />
    <p v-else>{{ text || 'Nothing is.' }}</p>
    <p v-if="reason" class="madder" role="alert">{{ reason }}</p>
    <FaultList v-if="faults.length" :faults="faults" :title="error?.message ?? ''" />
    <p class="quiet">These nodes are used first, where a node costs most; what is proposed comes on top of them.</p>
  </section>
</template>

<style scoped>
input {
  width: 100%;
  max-width: 420px;
  font: inherit;
  color: inherit;
  background: transparent;
  border: 0;
  border-bottom: 1px solid var(--line);
}
</style>
