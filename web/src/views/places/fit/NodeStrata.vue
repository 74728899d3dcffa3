<script setup lang="ts">
import { computed } from 'vue'
import type { Fit, FitNode, Workload } from '../../../api/client'
import { gibibytes, percent, resourceWord, vcpus } from '../../../domain/format'

/** One node opened: its pods as strata with their requests, and what lands on it after each loss. */
const props = defineProps<{ node: FitNode; fit: Fit; workloads: Workload[]; lost: string | null }>()
const emit = defineEmits<{ close: [] }>()
const byName = computed(() => new Map(props.workloads.map((row) => [`${row.namespace}/${row.name}`, row])))
const strata = computed(() =>
  Object.entries(props.node.replicas)
    .map(([name, count]) => {
      const row = byName.value.get(name)
      return { name, count, cpu: (row?.cpu_millicores ?? 0) * count, memory: (row?.memory_bytes ?? 0) * count }
    })
    .sort((a, b) => b.cpu - a.cpu),
)
const losses = computed(() => props.fit.zones.filter((zone) => zone !== props.node.zone && props.node.landing[zone]))
</script>

<template>
  <section class="node">
    <div class="head">
      <h2>node {{ node.number }} · {{ node.instance_type }}</h2>
      <button type="button" class="plain-button madder" @click="emit('close')">close</button>
    </div>
    <p class="quiet">
      {{ node.zone }}, {{ node.purchase }}. Usable {{ vcpus(node.usable.cpu_millicores ?? 0) }} vCPU,
      {{ gibibytes(node.usable.memory_bytes ?? 0) }} GiB, after the node’s own reservation and the daemon workloads.
    </p>
    <p v-for="name in Object.keys(node.usable)" :key="name">
      {{ resourceWord(name) }} <strong>{{ percent((node.requested[name] ?? 0) / (node.usable[name] || 1)) }}</strong> requested
    </p>
    <table>
      <thead>
        <tr>
          <th>pods</th>
          <th class="number">×</th>
          <th class="number">vCPU</th>
          <th class="number">GiB</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="entry in strata" :key="entry.name">
          <td>{{ entry.name }}<i :style="{ width: `${(100 * entry.cpu) / (node.usable.cpu_millicores || 1)}%` }" /></td>
          <td class="number">{{ entry.count }}</td>
          <td class="number">{{ (entry.cpu / 1000).toFixed(2) }}</td>
          <td class="number">{{ (entry.memory / 2 ** 30).toFixed(1) }}</td>
        </tr>
      </tbody>
    </table>
    <div v-for="zone in losses" :key="zone">
      <h3>lands here when {{ zone }} is lost</h3>
      <p :class="{ madder: lost === zone }">
        {{
          Object.entries(node.landing[zone] ?? {})
            .map(([name, count]) => `${count} ${name}`)
            .join(', ')
        }}
      </p>
    </div>
  </section>
</template>

<style scoped>
.node {
  display: grid;
  gap: 10px;
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
}
td i {
  display: block;
  height: 3px;
  background: var(--petrol);
}
</style>
