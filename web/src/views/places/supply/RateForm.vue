<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import type { useListActions } from '../../../api/catalogue'
import type { Problem } from '../../../api/client'
import FaultList from '../../../ui/FaultList.vue'

/** State what one unit of a currency is worth on a day. */
const props = defineProps<{ actions: ReturnType<typeof useListActions>; base: string }>()
const dated = ref(new Date().toISOString().slice(0, 10))
const code = ref('')
const worth = ref('')
const source = ref('')
const error = computed(() => props.actions.stateRates.error.value as Problem | null)

function state(): void {
  const body = {
    dated: dated.value,
    base: props.base,
    worth: { [code.value.toUpperCase()]: worth.value.replace(',', '.') },
    source: source.value,
  }
  props.actions.stateRates.mutate(body, { onSuccess: () => (code.value = worth.value = '') })
}
</script>

<template>
  <form class="rate" @submit.prevent="state">
    <NInput v-model:value="dated" size="small" :input-props="{ 'aria-label': 'day of the rate' }" />
    <span>1</span>
    <NInput v-model:value="code" size="small" placeholder="GBP" :maxlength="3" :input-props="{ 'aria-label': 'currency' }" />
    <span>=</span>
    <NInput v-model:value="worth" size="small" placeholder="1.1485" :input-props="{ 'aria-label': 'what it is worth' }" />
    <span>{{ base }}</span>
    <NInput v-model:value="source" size="small" placeholder="source" :input-props="{ 'aria-label': 'source of the rate' }" />
    <NButton size="small" attr-type="submit" :disabled="!code || !worth" :loading="actions.stateRates.isPending.value">Save</NButton>
  </form>
  <FaultList v-if="error" :title="error.message" :faults="error.faults" />
</template>

<style scoped>
.rate {
  display: grid;
  grid-template-columns: 110px auto 64px auto 90px auto 200px auto;
  gap: 8px;
  align-items: center;
  justify-content: start;
}
</style>
