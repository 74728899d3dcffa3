<script setup lang="ts">
import { computed, toRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { planId, type Bench, type Problem } from '../../../api/client'
import { useBridge } from '../../../api/ledger'
import { exactMoney } from '../../../domain/format'
import BillBridge from '../../../pictures/bridge/BillBridge.vue'
import { BRIDGED } from '../../../pictures/bridge/layout'
import OneOf from '../../../ui/OneOf.vue'

/** Why the plan costs what it does beside another: price, demand, promises and choices, whose sum is the difference. */
const props = defineProps<{ bench: Bench }>()
const route = useRoute()
const router = useRouter()
function asNumber(value: unknown): number | undefined {
  const id = Number(value)
  return Number.isInteger(id) && id > 0 ? id : undefined
}
const asked = computed(() => {
  const edition = asNumber(route.query.list)
  return edition === undefined ? { before: asNumber(route.query.before) } : { edition }
})
const query = useBridge(
  toRef(() => props.bench.variant.id),
  computed(() => planId(props.bench)),
  asked,
)
const found = computed(() => query.data.value ?? null)
const error = computed(() => query.error.value as Problem | null)
const others = computed(() => [
  ...(found.value?.others ?? []).map((entry) => ({ value: `before ${entry.fit_id}`, label: entry.name })),
  ...(found.value?.lists ?? []).map((entry) => ({ value: `list ${entry.edition_id}`, label: entry.name })),
])
const chosen = computed(() => (found.value?.edition_id ? `list ${found.value.edition_id}` : `before ${found.value?.fit_id ?? ''}`))
function choose(value: string): void {
  const [kind = '', id] = value.split(' ')
  void router.replace({ query: { ...route.query, before: undefined, list: undefined, [kind]: id } })
}
const parts = computed(() => BRIDGED.map(({ part, name }) => ({ name, amount: Number(found.value?.[part] ?? 0) })))
</script>

<template>
  <section class="changes">
    <p v-if="error" class="quiet">{{ error.message }}</p>
    <template v-else-if="found">
      <label class="tools"
        >{{ bench.variant.name }} beside
        <OneOf size="tiny" class="pick" name="compared with" :value="chosen" :options="others" @update:value="choose" />, a month of 730
        hours</label
      >
      <p v-if="found.unsold.length" class="amber">That list does not offer {{ found.unsold.join(', ') }}: they keep their price.</p>
      <BillBridge
        :before="Number(found.before)"
        :after="Number(found.after)"
        :parts="parts"
        :names="[found.before_name, found.after_name]"
        :currency="found.currency"
      />
      <p class="quiet">
        Price: the plan before, paid at the prices after. Demand: what workloads ask more or less, at the cost of a unit before. Promises:
        room and replicas that are there for losses. Choices: the rest, so types, zones, kinds of purchase, what stays idle, what is counted
        beside nodes. In this order; the sum is the difference to the last cent.
      </p>
      <h3>By what is bought</h3>
      <table aria-label="bought before and after">
        <thead>
          <tr>
            <th>what</th>
            <th class="number">before</th>
            <th class="number">after</th>
            <th class="number">difference</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="line in found.lines" :key="line.name">
            <td>{{ line.name }}</td>
            <td class="number">{{ exactMoney(line.before) }}</td>
            <td class="number">{{ exactMoney(line.after) }}</td>
            <td class="number">{{ exactMoney(Number(line.after) - Number(line.before)) }}</td>
          </tr>
        </tbody>
      </table>
    </template>
  </section>
</template>

<style scoped>
.changes {
  overflow: auto;
  padding: 14px 20px;
  display: grid;
  gap: 12px;
  align-content: start;
  font-size: 12px;
  max-width: 980px;
}
.tools {
  display: flex;
  gap: 8px;
  align-items: center;
}
.pick {
  width: 230px;
}
</style>
