<script setup lang="ts">
import { NButton, NInput, NRadioButton, NRadioGroup, useMessage } from 'naive-ui'
import { computed, ref } from 'vue'
import type { useListActions } from '../../../api/catalogue'
import type { Problem } from '../../../api/client'
import FaultList from '../../../ui/FaultList.vue'

/** A price list pasted or chosen as a file; what is read waits beside its provider. */
const props = defineProps<{ actions: ReturnType<typeof useListActions> }>()
const emit = defineEmits<{ done: [] }>()
const message = useMessage()
const form = ref<'json' | 'csv'>('csv')
const text = ref('')
const provider = ref('')
const currency = ref('EUR')
const dated = ref('')
const error = computed(() => props.actions.readFile.error.value as Problem | null)

async function load(event: Event): Promise<void> {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (!file) return
  if (file.size > 5 * 2 ** 20) {
    message.error(`${file.name} has ${(file.size / 2 ** 20).toFixed(1)} MiB; at most 5 MiB are read. Leave out regions you do not buy in.`)
    return
  }
  form.value = file.name.endsWith('.json') ? 'json' : 'csv'
  text.value = await file.text()
}
function read(): void {
  const body = { form: form.value, text: text.value, provider: provider.value, currency: currency.value, dated: dated.value }
  props.actions.readFile.mutate(body, { onSuccess: () => emit('done') })
}
</script>

<template>
  <div class="file cut">
    <div class="line">
      <NRadioGroup v-model:value="form" size="small" name="form"
        ><NRadioButton value="csv">CSV</NRadioButton><NRadioButton value="json">JSON</NRadioButton></NRadioGroup
      >
      <input type="file" accept=".json,.csv,.txt" aria-label="price list file" @change="load" />
    </div>
    <div v-if="form === 'csv'" class="line">
      <NInput v-model:value="provider" size="small" placeholder="provider" :input-props="{ 'aria-label': 'provider' }" />
      <NInput
        v-model:value="currency"
        size="small"
        placeholder="EUR"
        :maxlength="3"
        :input-props="{ 'aria-label': 'currency of the list' }"
      />
      <NInput v-model:value="dated" size="small" placeholder="dated, year-month-day" :input-props="{ 'aria-label': 'day of the list' }" />
    </div>
    <p v-if="form === 'csv'" class="quiet">
      First line: region,zone,instance_type,family,vcpu,memory,architecture,most_pods,price_per_hour; optional purchase, most_nodes,
      interruptions_per_hour, in_stock, accelerators, disk, most_volumes, network_mbps.
    </p>
    <NInput
      v-model:value="text"
      type="textarea"
      :rows="6"
      class="mono"
      placeholder="paste here"
      :input-props="{ 'aria-label': 'price list', spellcheck: false }"
    />
    <FaultList v-if="error" :title="error.message" :faults="error.faults.slice(0, 30)" />
    <div>
      <NButton size="small" type="primary" :disabled="!text.trim()" :loading="actions.readFile.isPending.value" @click="read"
        >Read it</NButton
      >
    </div>
  </div>
</template>

<style scoped>
.file {
  padding: 14px;
  display: grid;
  gap: 8px;
  max-width: 900px;
}
.line {
  display: grid;
  grid-template-columns: auto 90px 200px;
  gap: 12px;
  justify-content: start;
  align-items: center;
}
input[type='file']::file-selector-button {
  font: inherit;
  border: 1px solid var(--line);
  background: var(--paper);
  color: var(--ink);
  padding: 3px 10px;
  margin-right: 10px;
}
</style>
