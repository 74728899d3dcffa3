<script setup lang="ts">
import { NCheckbox } from 'naive-ui'
import { computed } from 'vue'
import type { AddressPlans, StatedAddresses } from '../../../api/addresses'
import type { BenchActions } from '../../../api/bench'
import type { Bench, Problem } from '../../../api/client'
import DraftField from '../../../ui/DraftField.vue'
import FaultList from '../../../ui/FaultList.vue'
import OneOf from '../../../ui/OneOf.vue'

/** What is stated about addresses; each change is an edit of the variant. */
const props = defineProps<{ bench: Bench; told: AddressPlans | null; actions: BenchActions; mayEdit: boolean }>()
type Typed = 'parent' | 'parent6' | 'services' | 'gateways' | 'load_balancers' | 'lost' | 'surge'
const FIELDS: [Typed, string, string][] = [
  ['parent', 'parent range', '10.64.0.0/12'],
  ['parent6', 'parent range, IPv6', 'fd00:7::/48'],
  ['lost', 'addresses a range loses', ''],
  ['services', 'services', ''],
  ['load_balancers', 'load balancers a zone', ''],
  ['gateways', 'gateways a zone', ''],
  ['surge', 'surge of a pool, nodes', ''],
]
const RANGES: Typed[] = ['parent', 'parent6']
const stated = computed<StatedAddresses>(() => props.bench.variant.addresses)
const error = computed(() => props.actions.change.error.value as Problem | null)
const faults = computed(() => (error.value?.faults ?? []).filter((fault) => fault.path.startsWith('addresses.')))
const wrong = (field: Typed) => faults.value.some((fault) => fault.path === `addresses.${field}`)
const pods = computed(() => [
  { value: 'blocks', label: props.told ? `a block of ${props.told.block} for each node` : 'a block for each node' },
  { value: 'flat', label: 'one range for all of a zone' },
])

function keep(change: Partial<StatedAddresses>, then?: () => void): void {
  props.actions.change.mutate({ addresses: change as StatedAddresses }, { onSuccess: then })
}
function set(field: Typed, text: string, kept: () => void): void {
  // Left empty, ranges lose what the provider says.
  keep({ [field]: RANGES.includes(field) ? text : text ? Number(text) : null }, kept)
}
function check(field: Typed, text: string): string {
  if (RANGES.includes(field) || /^\d{1,7}$/.test(text.trim()) || (field === 'lost' && !text.trim())) return ''
  return 'Write a whole number.'
}
</script>

<template>
  <section aria-label="what is stated about addresses">
    <h2>Addresses</h2>
    <DraftField
      v-for="[field, name, example] in FIELDS"
      :key="field"
      :title="name"
      :value="stated[field] ?? ''"
      :placeholder="field === 'lost' ? `${bench.provider_asks.lost_per_range ?? 2}` : example"
      :wide="RANGES.includes(field)"
      :may-edit="mayEdit"
      :wrong="wrong(field)"
      :check="(text: string) => check(field, text)"
      @keep="(text, kept) => set(field, text, kept)"
    />
    <FaultList v-if="faults.length" :faults="faults" :title="error?.message ?? ''" />
    <div class="line">
      <span>pods have addresses from</span>
      <OneOf
        size="tiny"
        class="pick"
        name="where pods have addresses from"
        :value="stated.pods"
        :options="pods"
        :disabled="!mayEdit"
        @update:value="keep({ pods: $event })"
      />
    </div>
    <NCheckbox v-if="stated.pods === 'blocks'" :checked="stated.twice" :disabled="!mayEdit" @update:checked="keep({ twice: $event })"
      >blocks have twice the most pods</NCheckbox
    >
    <NCheckbox :checked="stated.public" :disabled="!mayEdit" @update:checked="keep({ public: $event })"
      >a public range in every zone, with gateways and load balancers</NCheckbox
    >
    <p class="quiet">
      Ranges are powers of two; each has the room beside it that demand will grow into.
      <template v-if="bench.provider_asks.lost_per_range !== null"
        >By the price list a range loses {{ bench.provider_asks.lost_per_range }} addresses.</template
      >
    </p>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 4px;
}
.line {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 4px 8px;
  align-items: center;
  padding: 3px 0;
  font-size: 12px;
  border-bottom: 1px solid var(--line);
}
.pick {
  width: 190px;
}
p {
  font-size: 12px;
  padding: 3px 0;
}
</style>
