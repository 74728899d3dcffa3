<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import type { Problem } from '../../../api/client'
import type { PoolLimit } from '../../../api/rehearsal'
import FaultList from '../../../ui/FaultList.vue'

/** The limits of every pool in every zone, edited in place; what is typed stays until it is kept. */
const props = defineProps<{
  limits: PoolLimit[]
  origin: 'stated' | 'levels' | 'fit'
  error: Error | null
  mayEdit: boolean
}>()
const emit = defineEmits<{ keep: [limits: PoolLimit[]]; giveUp: [] }>()
const ORIGINS = {
  stated: 'stated for this variant',
  levels: 'from the design of all levels',
  fit: 'what the fit has, and one more',
}
const FIELDS = ['least', 'most', 'kept_back'] as const
const rows = ref<PoolLimit[]>([])
watch(
  () => props.limits,
  (now) => (rows.value = now.map((entry) => ({ ...entry }))),
  { immediate: true },
)
const changed = computed(() => JSON.stringify(rows.value) !== JSON.stringify(props.limits))
const faults = computed(() => (props.error && 'faults' in props.error ? (props.error as Problem).faults : []))
function type(row: PoolLimit, field: (typeof FIELDS)[number], event: Event): void {
  const value = Number((event.target as HTMLInputElement).value)
  if (Number.isInteger(value) && value >= 0) row[field] = value
}
</script>

<template>
  <section aria-label="autoscaling limits">
    <h2>Limits</h2>
    <p class="quiet">{{ ORIGINS[origin] }}</p>
    <FaultList v-if="faults.length" :faults="faults" />
    <table v-if="rows.length">
      <thead>
        <tr>
          <th>pool, zone</th>
          <th class="number">least</th>
          <th class="number">most</th>
          <th class="number" title="nodes’ room of the pool in the zone that is kept free for what comes next">kept free</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="`${row.instance_type} ${row.purchase} ${row.zone}`">
          <td>
            {{ row.instance_type }} <span class="quiet">{{ row.zone }}{{ row.purchase === 'on-demand' ? '' : `, ${row.purchase}` }}</span>
          </td>
          <td v-for="field in FIELDS" :key="field" class="number">
            <input
              inputmode="numeric"
              :value="row[field]"
              :readonly="!mayEdit"
              :aria-label="`${field.replace('_', ' ')} of ${row.instance_type} in ${row.zone}`"
              @input="type(row, field, $event)"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <p v-else class="quiet">There are none before there is a fit.</p>
    <p v-if="mayEdit" class="ends">
      <NButton size="tiny" type="primary" :disabled="!changed" @click="emit('keep', rows)">Keep and play</NButton>
      <NButton v-if="changed" size="tiny" quaternary @click="rows = limits.map((entry) => ({ ...entry }))">as before</NButton>
      <NButton v-else-if="origin === 'stated'" size="tiny" quaternary @click="emit('giveUp')">give these up</NButton>
    </p>
  </section>
</template>

<style scoped>
section {
  padding-top: 10px;
}
table {
  width: 100%;
  font-size: 12px;
}
th {
  font-weight: 450;
  text-align: left;
}
th.number,
td.number {
  text-align: right;
}
input {
  width: 34px;
  text-align: right;
  font: inherit;
  font-variant-numeric: tabular-nums;
  color: var(--ink);
  background: transparent;
  border: 0;
  border-bottom: 1px solid var(--line);
}
.ends {
  display: flex;
  gap: 6px;
  padding-top: 6px;
}
</style>
