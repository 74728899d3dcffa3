<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import type { Schemas } from '../../api/client'

/** The reservation rule in quantities: fixed amounts, an eviction threshold, shares of slices of capacity, per pod. */
type Rule = Schemas['ReservationIn']
const rule = defineModel<Rule>({ required: true })
defineProps<{ mayEdit: boolean }>()
const fixed = [
  { name: 'kubelet', title: 'node agent' },
  { name: 'system', title: 'operating system' },
  { name: 'per_pod', title: 'for each pod' },
] as const
const steps = [
  { name: 'cpu_slices', title: 'share of CPU', width: '1' },
  { name: 'memory_slices', title: 'share of memory', width: '4Gi' },
] as const
type Steps = (typeof steps)[number]

function add(entry: Steps): void {
  const slices = rule.value[entry.name] ?? []
  const last = slices.at(-1)
  if (last && last.width === null) last.width = entry.width
  rule.value[entry.name] = [...slices, { width: null, percent: '1' }]
}
</script>

<template>
  <table>
    <thead>
      <tr>
        <th>kept</th>
        <th>CPU</th>
        <th>memory</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="entry in fixed" :key="entry.name">
        <td>{{ entry.title }}</td>
        <td>
          <NInput
            v-model:value="rule[entry.name].cpu"
            size="small"
            :disabled="!mayEdit"
            :input-props="{ 'aria-label': `${entry.title}, CPU` }"
          />
        </td>
        <td>
          <NInput
            v-model:value="rule[entry.name].memory"
            size="small"
            :disabled="!mayEdit"
            :input-props="{ 'aria-label': `${entry.title}, memory` }"
          />
        </td>
      </tr>
      <tr>
        <td>eviction threshold</td>
        <td class="quiet">leaves CPU alone</td>
        <td>
          <NInput
            v-model:value="rule.eviction_memory"
            size="small"
            :disabled="!mayEdit"
            :input-props="{ 'aria-label': 'eviction threshold' }"
          />
        </td>
      </tr>
      <tr>
        <td>and of the memory</td>
        <td />
        <td>
          <NInput
            v-model:value="rule.eviction_percent"
            size="small"
            :disabled="!mayEdit"
            :input-props="{ 'aria-label': 'eviction threshold, percent' }"
            ><template #suffix>%</template></NInput
          >
        </td>
      </tr>
    </tbody>
  </table>
  <div v-for="entry in steps" :key="entry.name" class="steps">
    <strong>{{ entry.title }}</strong>
    <p v-for="(slice, place) in rule[entry.name] ?? []" :key="place">
      <NInput
        v-model:value="slice.percent"
        size="tiny"
        :disabled="!mayEdit"
        :input-props="{ 'aria-label': `${entry.title}, step ${place + 1}, percent` }"
      />
      % of the {{ place ? 'next' : 'first' }}
      <NInput
        :value="slice.width ?? ''"
        size="tiny"
        placeholder="all the rest"
        :disabled="!mayEdit"
        :input-props="{ 'aria-label': `${entry.title}, step ${place + 1}, width` }"
        @update:value="slice.width = $event.trim() || null"
      />
      <button
        v-if="mayEdit"
        type="button"
        class="plain-button quiet"
        :aria-label="`remove step ${place + 1} of ${entry.title}`"
        @click="rule[entry.name] = (rule[entry.name] ?? []).filter((_, other) => other !== place)"
      >
        ×
      </button>
    </p>
    <p v-if="!rule[entry.name]?.length" class="quiet">none</p>
    <div><NButton v-if="mayEdit" size="tiny" @click="add(entry)">Add a step</NButton></div>
  </div>
  <p class="quiet">Amounts as quantities: 60m, 0.5, 256Mi, 2Gi.</p>
</template>

<style scoped>
td {
  padding: 3px 6px;
}
td:not(:first-child) {
  width: 130px;
}
.steps {
  display: grid;
  gap: 5px;
  margin-top: 6px;
}
.steps p {
  display: grid;
  grid-template-columns: 70px auto 100px auto;
  gap: 8px;
  align-items: center;
  justify-content: start;
}
</style>
