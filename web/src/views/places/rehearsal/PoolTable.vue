<script setup lang="ts">
import type { Outcome } from '../../../api/rehearsal'
import { exactMoney, money } from '../../../domain/format'
import { offerName } from '../../../domain/rehearsal'
import FoldedTable from '../../../ui/FoldedTable.vue'

/** The pools of a run in figures: their limits, what they reached, how long they stood at either end, what they cost. */
defineProps<{ outcome: Outcome; currency: string }>()
const hours = (minutes: number | null) =>
  minutes === null ? '–' : minutes >= 600 ? `${Math.round(minutes / 60)} h` : `${Math.round(minutes)} min`
</script>

<template>
  <FoldedTable title="Pool by pool" name="pool by pool" :most="150">
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
  </FoldedTable>
</template>
