<script setup lang="ts">
import { NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import type { Fit, Workload } from '../../../api/client'
import { exactMoney, gibibytes, money, vcpus } from '../../../domain/format'

/** Demand as a dense list; pointing at a row lights its replicas up. */
const props = defineProps<{ workloads: Workload[]; fit: Fit | null }>()
const emit = defineEmits<{ light: [name: string | null] }>()
const find = ref('')
const rows = computed(() => {
  const cost = props.fit?.workload_cost_per_month ?? {}
  return props.workloads
    .map((row) => ({ ...row, full: `${row.namespace}/${row.name}`, cost: cost[`${row.namespace}/${row.name}`] }))
    .filter((row) => row.full.includes(find.value.toLowerCase()))
    .sort((a, b) => Number(b.cost ?? 0) - Number(a.cost ?? 0))
})
const most = computed(() => ({
  cpu: Math.max(1, ...props.workloads.map((row) => row.cpu_millicores * row.replicas)),
  memory: Math.max(1, ...props.workloads.map((row) => row.memory_bytes * row.replicas)),
}))
const replicas = computed(() => props.workloads.reduce((sum, row) => sum + row.replicas, 0))
</script>

<template>
  <section class="edge" aria-label="demand">
    <div class="head">
      <h2>Demand</h2>
      <span class="quiet">{{ workloads.length }} workloads · {{ replicas }} replicas</span>
    </div>
    <NInput v-model:value="find" size="tiny" clearable placeholder="find a workload" :input-props="{ 'aria-label': 'find a workload' }" />
    <div class="rows" @mouseleave="emit('light', null)">
      <table>
        <thead>
          <tr>
            <th>workload</th>
            <th class="number">×</th>
            <th title="CPU above, memory below">load</th>
            <th class="number">{{ fit?.currency ?? '' }}</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="row in rows"
            :key="row.key"
            tabindex="0"
            @mouseenter="emit('light', row.full)"
            @focus="emit('light', row.full)"
            @blur="emit('light', null)"
          >
            <td class="name" :title="row.full">{{ row.full }}</td>
            <td class="number">{{ row.kind === 'daemon' ? 'all' : row.replicas }}</td>
            <td
              class="bars"
              :title="
                row.kind === 'daemon'
                  ? `on every node: ${row.cpu} CPU, ${row.memory}`
                  : `${row.replicas} × ${row.cpu} CPU = ${vcpus(row.cpu_millicores * row.replicas)} vCPU; ${row.replicas} × ${row.memory} = ${gibibytes(row.memory_bytes * row.replicas)} GiB`
              "
            >
              <i class="cpu" :style="{ width: `${(100 * row.cpu_millicores * row.replicas) / most.cpu}%` }" />
              <i class="memory" :style="{ width: `${(100 * row.memory_bytes * row.replicas) / most.memory}%` }" />
            </td>
            <td
              class="number"
              :title="
                row.cost
                  ? `${exactMoney(row.cost)} a month: its replicas’ part of their nodes; kept and idle room is not in it, see the ledger`
                  : 'a daemon workload’s cost is in every node'
              "
            >
              {{ row.cost ? money(row.cost) : '—' }}
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped>
.edge {
  display: grid;
  grid-template-rows: auto auto 1fr;
  gap: 6px;
  min-height: 0;
  padding: 8px 0 0 14px;
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  padding-right: 12px;
}
.head .quiet {
  font-size: 12px;
}
.edge :deep(.n-input) {
  width: calc(100% - 12px);
}
.rows {
  overflow: auto;
}
table {
  table-layout: fixed;
  width: calc(100% - 12px);
}
th:nth-child(1) {
  width: 50%;
}
th:nth-child(2) {
  width: 30px;
}
th:nth-child(4) {
  width: 46px;
}
thead th {
  white-space: nowrap;
  position: sticky;
  top: 0;
  background: var(--paper);
  padding: 2px 4px;
}
td {
  padding: 1px 4px;
  height: 23px;
  font-size: 12.5px;
}
.name {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
tbody tr:hover,
tbody tr:focus {
  background: var(--wash);
  outline: 0;
  box-shadow: inset 3px 0 0 var(--madder);
}
.bars i {
  display: block;
  height: 4px;
  min-width: 1px;
}
.bars .cpu {
  background: var(--ink);
  margin-bottom: 2px;
}
.bars .memory {
  background: var(--quiet);
  opacity: 0.6;
}
</style>
