<script setup lang="ts">
import { computed } from 'vue'

/** What one more vCPU and one more GiB to request cost in each zone, at the margin of this fit. */
const props = defineProps<{ prices: Record<string, Record<string, number>>; currency: string }>()
const rows = computed(() =>
  Object.entries(props.prices).map(([zone, row]) => ({
    zone,
    vcpu: 1000 * (row.cpu_millicores ?? 0),
    gib: 2 ** 30 * (row.memory_bytes ?? 0),
  })),
)
</script>

<template>
  <div>
    <h3
      title="The duals of the relaxation: what the floor rises by for one more unit requested, on the offers of the zone where it costs least"
    >
      one unit more to request, {{ currency }} a month
    </h3>
    <table>
      <thead>
        <tr>
          <th class="holds"><span class="unseen">one more</span></th>
          <th v-for="row in rows" :key="row.zone" class="number">{{ row.zone }}</th>
        </tr>
      </thead>
      <tbody>
        <tr>
          <th scope="row">1 vCPU</th>
          <td v-for="row in rows" :key="row.zone" class="number">{{ row.vcpu.toFixed(2) }}</td>
        </tr>
        <tr>
          <th scope="row">1 GiB</th>
          <td v-for="row in rows" :key="row.zone" class="number">{{ row.gib.toFixed(2) }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="rows.some((row) => row.gib < 0.005)" class="quiet">Nothing: there is room of it beside what is full first.</p>
  </div>
</template>

<style scoped>
td,
th {
  padding: 3px;
  font-size: 12px;
}
p {
  font-size: 12px;
  padding-top: 3px;
}
</style>
