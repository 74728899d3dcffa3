<script setup lang="ts">
import type { Outcome } from '../../../api/rehearsal'
import { exactMoney, money } from '../../../domain/format'
import { offerName } from '../../../domain/rehearsal'

/** The pools of a run in figures: their limits, what they reached, how long they stood at either end, what they cost. */
defineProps<{ outcome: Outcome; currency: string }>()
const hours = (minutes: number | null) =>
  minutes === null ? '–' : minutes >= 600 ? `${Math.round(minutes / 60)} h` : `${Math.round(minutes)} min`
</script>

<template>
  <details class="pools">
    <summary>Pool by pool</summary>
    <div class="scroll" tabindex="0" role="group" aria-label="pool by pool">
      <table>
        <thead>
          <tr>
            <th>pool</th>
            <th class="number">least to most</th>
            <th class="number">most seen</th>
            <th class="number">at its least</th>
            <th class="number">at its most while replicas waited</th>
            <th class="number">node-hours</th>
            <th class="number">cost, {{ currency }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="entry in outcome.pools" :key="offerName(entry.offer)">
            <td>{{ offerName(entry.offer) }}</td>
            <td class="number">{{ entry.range.least }}–{{ entry.range.most }}</td>
            <td class="number">{{ entry.most_seen }}</td>
            <td class="number">{{ hours(entry.at_least_min) }}</td>
            <td class="number" :class="{ madder: entry.at_most_min >= 1 }">{{ hours(entry.at_most_min) }}</td>
            <td class="number">{{ entry.node_hours.toFixed(0) }}</td>
            <td class="number" :title="exactMoney(entry.cost)">{{ money(entry.cost) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </details>
</template>

<style scoped>
.pools {
  border-top: 1px solid var(--line);
  padding-top: 2px;
}
summary {
  cursor: pointer;
  font-weight: 560;
  font-size: 12px;
}
.scroll {
  max-height: 150px;
  overflow: auto;
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
</style>
