<script setup lang="ts">
import { NButton, NInputNumber } from 'naive-ui'
import type { Schemas } from '../../api/client'

/** The reservation rule: fixed amounts, an eviction threshold, shares of slices of capacity, amounts per pod. */
type Rule = Schemas['ReservationIn']
const rule = defineModel<Rule>({ required: true })
defineProps<{ mayEdit: boolean }>()
const MIB = 2 ** 20
const GIB = 2 ** 30
const fixed = [
  { name: 'kubelet', title: 'node agent' },
  { name: 'system', title: 'operating system' },
  { name: 'per_pod', title: 'for each pod' },
] as const
const steps = [
  { name: 'cpu_slices', title: 'share of vCPU', unit: 1000, word: 'vCPU' },
  { name: 'memory_slices', title: 'share of memory', unit: GIB, word: 'GiB' },
] as const
type Steps = (typeof steps)[number]['name']

function add(name: Steps): void {
  const slices = rule.value[name] ?? []
  const last = slices.at(-1)
  if (last && last.width === null) last.width = name === 'cpu_slices' ? 1000 : 4 * GIB
  rule.value[name] = [...slices, { width: null, basis_points: 100 }]
}
</script>

<template>
  <table>
    <thead><tr><th>kept</th><th class="number">millicores</th><th class="number">MiB</th></tr></thead>
    <tbody>
      <tr v-for="entry in fixed" :key="entry.name">
        <td>{{ entry.title }}</td>
        <td><NInputNumber v-model:value="rule[entry.name].cpu_millicores" size="small" :min="0" :precision="0" :show-button="false" :disabled="!mayEdit" :input-props="{ 'aria-label': `${entry.title}, millicores` }" /></td>
        <td><NInputNumber :value="rule[entry.name].memory_bytes / MIB" size="small" :min="0" :show-button="false" :disabled="!mayEdit" :input-props="{ 'aria-label': `${entry.title}, MiB` }" @update:value="rule[entry.name].memory_bytes = Math.round(($event ?? 0) * MIB)" /></td>
      </tr>
      <tr>
        <td>eviction threshold</td>
        <td class="quiet number">leaves CPU alone</td>
        <td><NInputNumber :value="rule.eviction_memory_bytes / MIB" size="small" :min="0" :show-button="false" :disabled="!mayEdit" :input-props="{ 'aria-label': 'eviction threshold, MiB' }" @update:value="rule.eviction_memory_bytes = Math.round(($event ?? 0) * MIB)" /></td>
      </tr>
      <tr>
        <td>and of the memory</td><td />
        <td><NInputNumber :value="(rule.eviction_memory_basis_points ?? 0) / 100" size="small" :min="0" :max="100" :show-button="false" :disabled="!mayEdit" :input-props="{ 'aria-label': 'eviction threshold, percent' }" @update:value="rule.eviction_memory_basis_points = Math.round(($event ?? 0) * 100)"><template #suffix>%</template></NInputNumber></td>
      </tr>
    </tbody>
  </table>
  <div v-for="entry in steps" :key="entry.name" class="steps">
    <strong>{{ entry.title }}</strong>
    <p v-for="(slice, place) in rule[entry.name] ?? []" :key="place">
      <NInputNumber :value="slice.basis_points / 100" size="tiny" :min="0" :max="100" :show-button="false" :disabled="!mayEdit" :input-props="{ 'aria-label': `${entry.title}, step ${place + 1}, percent` }" @update:value="slice.basis_points = Math.round(($event ?? 0) * 100)" />
      % of the {{ place ? 'next' : 'first' }}
      <NInputNumber :value="slice.width === null ? null : slice.width / entry.unit" size="tiny" :min="0.001" :show-button="false" placeholder="all the rest" :disabled="!mayEdit" :input-props="{ 'aria-label': `${entry.title}, step ${place + 1}, width` }" @update:value="slice.width = $event ? Math.round($event * entry.unit) : null" />
      {{ entry.word }}
      <button v-if="mayEdit" type="button" class="plain-button quiet" :aria-label="`remove step ${place + 1} of ${entry.title}`" @click="rule[entry.name] = (rule[entry.name] ?? []).filter((_, other) => other !== place)">×</button>
    </p>
    <p v-if="!rule[entry.name]?.length" class="quiet">none</p>
    <div><NButton v-if="mayEdit" size="tiny" @click="add(entry.name)">Add a step</NButton></div>
  </div>
</template>

<style scoped>
td { padding: 3px 6px; } td:not(:first-child) { width: 130px; }
.steps { display: grid; gap: 5px; margin-top: 6px; }
.steps p { display: grid; grid-template-columns: 70px auto 100px auto auto; gap: 8px; align-items: center; justify-content: start; }
</style>
