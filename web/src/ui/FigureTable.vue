<script setup lang="ts">
import { ref } from 'vue'
import type { Figure } from '../api/availability'
import { felt, often } from '../domain/minutes'
import HeldInput from './HeldInput.vue'

/** Failure data as a table: rates with repairs first, then times and shares; every row with its origin. An emptied field gives its statement up (null). */
defineProps<{ figures: Figure[]; mayEdit: boolean }>()
const emit = defineEmits<{ set: [change: Record<string, unknown>, kept: () => void] }>()
const words: Record<string, string> = {
  replica: 'a replica',
  node: 'a node',
  interrupted: 'an interruptible node, taken back',
  zone: 'a zone',
  region: 'a region',
  member: 'a control plane’s member',
  zone_beta: 'share of a zone’s downtime that is common to all',
  region_beta: 'share of a region’s that is common to all',
  detect_s: 'until a lost node is noticed',
  evict_s: 'until its replicas are given up',
  place_s: 'until they are placed',
  node_start_s: 'until a new node takes them',
  node_start_p95_s: 'which one start in twenty exceeds',
  start_up_s: 'until a replica serves',
  serving_percent: 'must serve, where nothing is stated',
  control_plane_s: 'until a control-plane member is made or rolled',
  new_pool_s: 'until a new pool’s first node',
  new_cluster_s: 'until a new cluster',
}
const wrong = ref('')

const number = (text: string) => Number(text.replace(',', '.'))
function check(figure: Figure, text: string): string {
  return text === '' || (Number.isFinite(number(text)) && number(text) >= 0)
    ? ''
    : `“${text}” is no number for ${words[figure.name] ?? figure.name}. Write one from 0, such as 0.5, or empty the field for the figure that holds otherwise.`
}
function rate(figure: Figure, field: 'per_year' | 'repair_s', text: string, kept: () => void): void {
  const both = { per_year: figure.per_year, repair_s: figure.repair_s, [field]: number(text) }
  emit('set', { [figure.name]: text === '' ? null : both }, kept)
}
function plain(figure: Figure, text: string, kept: () => void): void {
  emit('set', { [figure.name]: text === '' ? null : number(text) }, kept)
}
</script>

<template>
  <table>
    <thead>
      <tr>
        <th>fails</th>
        <th class="number">times a year</th>
        <th class="number">back after, s</th>
        <th class="number">downtime a month</th>
        <th>where that is from</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="figure in figures.filter((entry) => entry.per_year !== null)" :key="figure.name">
        <td>{{ words[figure.name] ?? figure.name }}</td>
        <td class="number" :title="often(figure.per_year ?? 0)">
          <HeldInput
            inputmode="decimal"
            :value="figure.per_year"
            :may-edit="mayEdit"
            :check="(text) => check(figure, text)"
            :aria-label="`failures a year of ${words[figure.name]}`"
            @keep="(text, kept) => rate(figure, 'per_year', text, kept)"
            @reason="wrong = $event"
          />
        </td>
        <td class="number" :title="felt((figure.repair_s ?? 0) / 60)">
          <HeldInput
            inputmode="decimal"
            :value="figure.repair_s"
            :may-edit="mayEdit"
            :check="(text) => check(figure, text)"
            :aria-label="`repair in seconds of ${words[figure.name]}`"
            @keep="(text, kept) => rate(figure, 'repair_s', text, kept)"
            @reason="wrong = $event"
          />
        </td>
        <td class="number">{{ felt(figure.minutes_month ?? 0) }}</td>
        <td class="quiet from" :class="{ stated: figure.stated }">
          {{ figure.origin }}<template v-if="figure.why">: {{ figure.why }}</template>
        </td>
      </tr>
    </tbody>
    <thead>
      <tr>
        <th>lasts, or counts</th>
        <th class="number" colspan="2">seconds or share</th>
        <th>unit</th>
        <th>where that is from</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="figure in figures.filter((entry) => entry.value !== null)" :key="figure.name">
        <td>{{ words[figure.name] ?? figure.name }}</td>
        <td class="number" colspan="2">
          <HeldInput
            inputmode="decimal"
            :value="figure.value"
            :may-edit="mayEdit"
            :check="(text) => check(figure, text)"
            :aria-label="words[figure.name]"
            @keep="(text, kept) => plain(figure, text, kept)"
            @reason="wrong = $event"
          />
        </td>
        <td class="quiet">{{ figure.name.endsWith('_s') ? 's' : figure.name.endsWith('percent') ? '%' : 'of 1' }}</td>
        <td class="quiet from" :class="{ stated: figure.stated }">
          {{ figure.origin }}<template v-if="figure.why">: {{ figure.why }}</template>
        </td>
      </tr>
    </tbody>
  </table>
  <p v-if="wrong" class="madder" role="alert">{{ wrong }}</p>
</template>

<style scoped>
table {
  width: 100%;
}
th {
  padding-top: 8px;
}
input {
  font: inherit;
  color: inherit;
  background: transparent;
  border: 0;
  border-bottom: 1px solid var(--line);
  width: 64px;
  text-align: right;
  padding: 1px 0;
}
td,
th {
  padding: 2px 8px 2px 0;
  font-size: 12px;
}
td.number {
  white-space: nowrap;
}
.from {
  font-size: 11px;
}
.stated {
  color: var(--amber);
}
</style>
