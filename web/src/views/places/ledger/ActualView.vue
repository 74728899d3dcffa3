<script setup lang="ts">
import { computed, ref, toRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { planId, type Bench, type Problem } from '../../../api/client'
import { useActual, useActualMonths } from '../../../api/ledger'
import { exactMoney, signedMoney } from '../../../domain/format'
import FaultList from '../../../ui/FaultList.vue'
import OneOf from '../../../ui/OneOf.vue'

/** A month as it was billed beside the month that is planned: what differs first, parted into amount and price. */
const props = defineProps<{ bench: Bench; mayEdit: boolean }>()
const MOST_MIB = 5
const route = useRoute()
const router = useRouter()
const stated = ref(new Date(Date.now() - 28 * 86_400_000).toISOString().slice(0, 7))
const variant = toRef(() => props.bench.variant.id)
const months = useActualMonths(variant)
const month = computed(() => (typeof route.query.month === 'string' ? route.query.month : (months.data.value?.[0]?.month ?? '')))
const beside = computed(() => {
  const named = String(route.query.beside ?? '')
  return named !== month.value && months.data.value?.some((entry) => entry.month === named) ? named : ''
})
const { shown, take, drop } = useActual(
  variant,
  computed(() => planId(props.bench)),
  month,
  beside,
)
const found = computed(() => (months.data.value?.length ? (shown.data.value ?? null) : null))
const error = computed(() => (take.error.value ?? shown.error.value) as Problem | null)
const options = computed(() =>
  (months.data.value ?? []).map((entry) => ({ value: entry.month, label: `${entry.month}, ${entry.lines} lines` })),
)
const sides = computed(() => [
  { value: '', label: 'the plan' },
  ...(months.data.value ?? []).filter((entry) => entry.month !== month.value).map((entry) => ({ value: entry.month, label: entry.month })),
])
const was = computed(() => (found.value?.beside ? `in ${found.value.beside}` : 'planned'))
const tooLarge = ref('')
const open = computed(() => found.value?.compared.filter((entry) => Math.abs(Number(entry.difference)) >= 0.005) ?? [])
const alike = computed(() => (found.value?.compared.length ?? 0) - open.value.length)
const difference = computed(() => Number(found.value?.billed ?? 0) - Number(found.value?.planned ?? 0))
const signed = (amount: string | number | null) => (amount === null ? '' : signedMoney(amount))

function show(value: string | undefined): void {
  void router.replace({ query: { ...route.query, month: value } })
}
async function load(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  if (!file) return
  tooLarge.value =
    file.size > MOST_MIB * 2 ** 20 ? `${file.name} is larger than ${MOST_MIB} MiB. Leave out what belongs to other platforms.` : ''
  if (!tooLarge.value)
    take.mutate({ month: stated.value, text: await file.text(), origin: file.name }, { onSuccess: (made) => show(made.month) })
  // The same file can be chosen again once it is fixed.
  input.value = ''
}
</script>

<template>
  <section class="actual">
    <div class="tools">
      <OneOf
        v-if="options.length"
        size="tiny"
        class="pick"
        name="month"
        :value="found?.month ?? ''"
        :options="options"
        @update:value="show($event)"
      />
      <label v-if="sides.length > 1" class="beside"
        >beside
        <OneOf
          size="tiny"
          class="pick"
          name="beside"
          :value="found?.beside ?? ''"
          :options="sides"
          @update:value="router.replace({ query: { ...route.query, beside: $event || undefined } })"
      /></label>
      <template v-if="mayEdit">
        <label>a month of charges <input v-model="stated" type="month" aria-label="month of the file" /></label>
        <input type="file" accept=".csv,.txt" aria-label="file of charges" @change="load" />
        <button v-if="found" type="button" class="plain-button" @click="drop.mutate(found.month, { onSuccess: () => show(undefined) })">
          Put {{ found.month }} away
        </button>
      </template>
      <a :href="`/api/variants/${bench.variant.id}/cost-data.csv?month=${found?.month ?? stated}`" download
        >the planned month as cost data</a
      >
    </div>
    <p v-if="tooLarge" class="madder">{{ tooLarge }}</p>
    <FaultList v-if="error" :faults="error.faults ?? []" :title="error.message" />
    <template v-if="found">
      <h2>
        {{ exactMoney(found.billed) }} {{ found.currency }} billed in {{ found.month }}, {{ exactMoney(found.planned) }}
        {{ found.beside ? was : `planned for its ${found.hours} hours` }}:
        {{ difference ? `${exactMoney(Math.abs(difference))} ${difference > 0 ? 'more' : 'less'}` : 'no difference' }}
      </h2>
      <table>
        <thead>
          <tr>
            <th>what</th>
            <th>zone</th>
            <th class="number">{{ was }}</th>
            <th class="number">{{ found.beside ? `in ${found.month}` : 'billed' }}</th>
            <th class="number">difference</th>
            <th class="number">by amount</th>
            <th class="number">by price</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="entry in open" :key="`${entry.item} ${entry.purchase} ${entry.zone}`">
            <td>
              {{ entry.item }} <span class="quiet">{{ entry.purchase }}</span>
            </td>
            <td>{{ entry.zone }}</td>
            <td class="number">{{ entry.planned === null ? `not ${was}` : exactMoney(entry.planned) }}</td>
            <td class="number">
              {{ entry.billed === null ? (found.beside ? `not in ${found.month}` : 'not billed') : exactMoney(entry.billed) }}
            </td>
            <td class="number">
              <strong>{{ signed(entry.difference) }}</strong>
            </td>
            <td class="number">{{ signed(entry.by_amount) }}</td>
            <td class="number">{{ signed(entry.by_price) }}</td>
          </tr>
        </tbody>
      </table>
      <p class="quiet">
        {{ alike }} more lines were billed as {{ was }}. By amount: as much more or less at the price {{ was }}, so the length of the month
        too; by price: the rest of the difference.
      </p>
    </template>
    <p v-else-if="!error" class="quiet">
      Hand in a month of charges as CSV in the FinOps Open Cost and Usage Specification 1.0 to see what was planned and not billed, and
      billed and not planned. Needed columns: BilledCost, BillingCurrency, ChargePeriodStart, ChargePeriodEnd, ServiceName; ResourceType,
      PricingCategory, PricingQuantity and AvailabilityZone tell more.
    </p>
  </section>
</template>

<style scoped>
.actual {
  overflow: auto;
  padding: 14px 20px;
  display: grid;
  gap: 12px;
  align-content: start;
  font-size: 12px;
}
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 14px;
  align-items: center;
}
.beside {
  display: flex;
  gap: 6px;
  align-items: center;
}
.pick {
  width: 190px;
}
h2 {
  font-size: 14px;
}
table {
  width: 100%;
  max-width: 900px;
}
input {
  font: inherit;
  color: inherit;
}
input[type='month'] {
  background: transparent;
  border: 0;
  border-bottom: 1px solid var(--line);
}
</style>
