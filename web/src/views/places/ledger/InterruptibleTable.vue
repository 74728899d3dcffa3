<script setup lang="ts">
import { computed } from 'vue'
import type { Commitments } from '../../../api/ledger'
import { exactMoney, percent } from '../../../domain/format'

/** What interruptible nodes save and what is to be expected of them; where the plan has none, which workloads would allow it. */
const props = defineProps<{ found: Commitments }>()
const allowed = computed(() => props.found.may_be_interrupted.map((entry) => `${entry.workload} (${percent(entry.share, 0)})`).join(', '))
</script>

<template>
  <section>
    <h3>Interruptible</h3>
    <table v-if="found.interruptible.length">
      <thead>
        <tr>
          <th>pool</th>
          <th class="number">nodes</th>
          <th class="number">saves a month</th>
          <th class="number">interruptions a month</th>
          <th class="number">replicas that move</th>
          <th>carries</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="entry in found.interruptible" :key="`${entry.instance_type} ${entry.zone}`">
          <td>{{ entry.instance_type }} in {{ entry.zone }}</td>
          <td class="number">{{ entry.nodes }}</td>
          <td class="number">{{ entry.saves === null ? 'not sold on demand' : exactMoney(entry.saves) }}</td>
          <td class="number">{{ entry.interruptions === null ? 'not stated' : entry.interruptions.toFixed(1) }}</td>
          <td class="number">{{ entry.moved === null ? 'not stated' : entry.moved.toFixed(1) }}</td>
          <td class="quiet">
            {{
              Object.entries(entry.workloads)
                .map(([name, count]) => `${count} ${name}`)
                .join(', ')
            }}
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="found.interruptible.length" class="quiet">
      Saving beside the same nodes on demand. Interruptions are nodes × the price list’s rate × 730 h; each moves what runs there.
    </p>
    <p v-else-if="allowed">
      The plan buys none. These workloads may run on interruptible nodes, up to the share stated: {{ allowed }}. Let the fit buy them under
      Targets to see what it saves, computed.
    </p>
    <p v-else>The plan buys none, and no workload of this variant tolerates interruption.</p>
  </section>
</template>

<style scoped>
table {
  width: 100%;
}
</style>
