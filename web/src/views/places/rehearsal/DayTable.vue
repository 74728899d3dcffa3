<script setup lang="ts">
import { computed } from 'vue'
import type { Outcome } from '../../../api/rehearsal'
import { exactMoney, money } from '../../../domain/format'
import { daysOf } from '../../../domain/rehearsal'
import FoldedTable from '../../../ui/FoldedTable.vue'

/** The same as the picture, day by day. */
const props = defineProps<{ outcome: Outcome; currency: string }>()
const rows = computed(() => daysOf(props.outcome))
</script>

<template>
  <FoldedTable title="Day by day" name="day by day" :most="150" open>
    <thead>
      <tr>
        <th>day</th>
        <th class="number">peak asked, replicas’ worth</th>
        <th class="number">lost, replica-hours</th>
        <th class="number">most waiting, replicas</th>
        <th class="number">most nodes</th>
        <th class="number">cost, {{ currency }}</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in rows" :key="row.day">
        <td>{{ row.day }}</td>
        <td class="number">{{ row.peak.toFixed(1) }}</td>
        <td class="number" :class="{ madder: row.lost >= 0.005 }">{{ row.lost.toFixed(2) }}</td>
        <td class="number">{{ row.waiting.toFixed(1) }}</td>
        <td class="number">{{ Math.ceil(row.nodes - 0.05) }}</td>
        <td class="number" :title="exactMoney(row.cost)">{{ money(row.cost) }}</td>
      </tr>
    </tbody>
  </FoldedTable>
</template>
