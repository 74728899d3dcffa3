<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import type { Journey, useStatePromises } from '../../../api/availability'
import type { Bench, Problem } from '../../../api/client'
import { allowedMinutes, felt } from '../../../domain/minutes'
import FaultList from '../../../ui/FaultList.vue'

/** States a journey anew, changes one, or takes one away; the chain is text, and its faults say where they are. */
const props = defineProps<{ bench: Bench; journeys: Journey[]; journey: Journey | null; state: ReturnType<typeof useStatePromises> }>()
const emit = defineEmits<{ done: [] }>()
const name = ref(props.journey?.name ?? '')
const target = ref(props.journey?.stated ? props.journey.target : '99.9')
const chain = ref(props.journey?.chain ?? '')
const error = computed(() => props.state.error.value as Problem | null)
const allowed = computed(() => allowedMinutes(target.value))

function rows(without: boolean) {
  const kept = props.journeys
    .filter((entry) => entry.stated && entry.name !== props.journey?.name)
    .map((entry) => ({ name: entry.name, target: entry.target, chain: entry.chain }))
  return without ? kept : [...kept, { name: name.value.trim(), target: target.value, chain: chain.value }]
}
function save(without = false): void {
  props.state.mutate(() => ({ journeys: rows(without) }), { onSuccess: () => emit('done') })
}
</script>

<template>
  <form class="form cut" @submit.prevent="save()">
    <label
      ><span>what users do</span
      ><NInput v-model:value="name" size="small" placeholder="buy a ticket" :input-props="{ 'aria-label': 'name of the journey' }"
    /></label>
    <label
      ><span>target, %</span
      ><NInput v-model:value="target" size="small" placeholder="99.95" :input-props="{ 'aria-label': 'target of the journey in percent' }"
    /></label>
    <p class="quiet budget">
      {{ allowed > 0 && allowed < allowedMinutes('0') ? `${felt(allowed)} a month may be lost` : 'percent above 0, below 100' }}
    </p>
    <label class="wide"
      ><span
        >chain: names with commas are all needed; <code>any of (a, b)</code>, <code>2 of (a, b, c)</code>; empty: every workload that names
        this journey</span
      ><NInput
        v-model:value="chain"
        type="textarea"
        size="small"
        :rows="3"
        :input-props="{ 'aria-label': 'chain of the journey', spellcheck: 'false' }"
    /></label>
    <FaultList v-if="error" class="wide" :faults="error.faults" :title="error.message" />
    <div class="wide act">
      <NButton v-if="journey?.stated" size="small" quaternary @click="save(true)">Delete</NButton>
      <NButton size="small" @click="emit('done')">Cancel</NButton>
      <NButton size="small" type="primary" attr-type="submit" :loading="state.isPending.value" :disabled="!name.trim()">Save</NButton>
    </div>
  </form>
</template>

<style scoped>
.form {
  display: grid;
  grid-template-columns: 1fr 110px 1fr;
  gap: 8px 14px;
  align-items: end;
  background: var(--panel);
  border: 1px solid var(--line);
  padding: 12px 14px;
}
label {
  display: grid;
  gap: 3px;
  font-size: 12px;
}
label span {
  color: var(--quiet);
}
.wide {
  grid-column: 1 / -1;
}
.act {
  display: flex;
  gap: 10px;
  justify-content: flex-end;
}
.budget {
  font-size: 12px;
  padding-bottom: 6px;
}
</style>
