<script setup lang="ts">
import { computed } from 'vue'
import type { Bench } from '../../../api/client'
import { useRunning } from '../../../api/demand'
import { day, money, percent } from '../../../domain/format'

/** What runs today, from a cluster's listing, beside what the fit would run. */
const props = defineProps<{ bench: Bench }>()
const found = useRunning(computed(() => props.bench.variant.id))
const data = computed(() => found.data.value)
const saves = computed(() => Number(data.value?.cost_per_month ?? 0) - Number(data.value?.fit_per_month ?? 0))
const zones = computed(() => [...new Set(data.value?.pools.map((pool) => pool.zone) ?? [])])
const kinds = computed(() => [...new Set(data.value?.pools.map((pool) => pool.instance_type) ?? [])])
function pool(kind: string, zone: string) {
  return data.value?.pools.find((entry) => entry.instance_type === kind && entry.zone === zone)
}
</script>

<template>
  <div v-if="data" class="running">
    <p>
      <strong>{{ data.nodes }} nodes</strong> ran {{ data.replicas }} replicas when {{ data.origin || 'the cluster' }} was listed ({{
        day(data.read_at)
      }})<template v-if="data.waiting"
        >; <span class="madder">{{ data.waiting }} pods waited for a node</span></template
      >.
    </p>
    <p v-if="data.unpriced === data.nodes" class="quiet">None of these instance types is in this variant’s price list.</p>
    <p v-else class="big">
      {{ money(data.cost_per_month ?? 0) }}
      <small
        >{{ data.currency }} a month at this list’s prices on demand<template v-if="data.unpriced">
          ({{ data.unpriced }} nodes not priced)</template
        ></small
      ><template v-if="data.fit_per_month">
        → {{ money(data.fit_per_month) }} <small>the fit’s {{ data.fit_nodes }} nodes:</small>
        <span :class="{ madder: saves < 0 }">{{ saves >= 0 ? `${money(saves)} less` : `${money(-saves)} more` }}</span></template
      >
    </p>
    <table>
      <thead>
        <tr>
          <th>instance type</th>
          <th v-for="zone in zones" :key="zone">{{ zone }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="kind in kinds" :key="kind">
          <td>
            <strong>{{ kind }}</strong>
          </td>
          <td v-for="zone in zones" :key="zone">
            <template v-if="pool(kind, zone)"
              ><span class="count">{{ pool(kind, zone)?.nodes }}</span>
              <span
                class="bars"
                :title="`CPU ${percent(pool(kind, zone)?.cpu_requested ?? 0, 0)}, memory ${percent(pool(kind, zone)?.memory_requested ?? 0, 0)} of allocatable requested`"
                ><i :style="{ width: `${100 * Math.min(1, pool(kind, zone)?.cpu_requested ?? 0)}%` }" /><i
                  class="soft"
                  :style="{ width: `${100 * Math.min(1, pool(kind, zone)?.memory_requested ?? 0)}%` }"
              /></span>
              <span class="quiet"
                >{{ percent(pool(kind, zone)?.cpu_requested ?? 0, 0) }} CPU,
                {{ percent(pool(kind, zone)?.memory_requested ?? 0, 0) }} memory</span
              ></template
            >
          </td>
        </tr>
      </tbody>
    </table>
    <section v-if="data.differs.length" aria-label="replicas that differ">
      <h2>Runs in other numbers than the sheet’s usual</h2>
      <table class="differs">
        <thead>
          <tr>
            <th>workload</th>
            <th class="number">runs</th>
            <th class="number">usual</th>
            <th class="number">peak</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in data.differs.slice(0, 14)" :key="row.name">
            <td>{{ row.name }}</td>
            <td class="number" :class="{ madder: row.running > row.peak }">{{ row.running }}</td>
            <td class="number">{{ row.usual }}</td>
            <td class="number">{{ row.peak }}</td>
          </tr>
        </tbody>
      </table>
    </section>
    <p v-if="data.unknown.length" class="madder">Pods of workloads that are not in the sheet: {{ data.unknown.slice(0, 8).join(', ') }}</p>
    <p class="quiet">Bars: what the sheet’s requests take of these nodes’ allocatable, CPU above, memory below.</p>
  </div>
  <p v-else-if="found.isSuccess.value" class="quiet none">
    No cluster was listed. Import a listing with its Nodes and Pods (YAML or JSON): what runs where will stand here beside the fit.
  </p>
</template>

<style scoped>
.running {
  display: grid;
  gap: 12px;
  align-content: start;
  overflow: auto;
  padding-top: 12px;
  height: 100%;
}
.none {
  padding: 40px;
}
.big {
  font-size: 20px;
  font-weight: 640;
  font-variant-numeric: tabular-nums;
}
small {
  font-size: 12px;
  font-weight: 400;
  color: var(--quiet);
}
table {
  max-width: 980px;
}
.differs {
  max-width: 520px;
}
.differs td {
  padding: 2px 6px;
}
.count {
  font-size: 16px;
  font-weight: 600;
  display: inline-block;
  width: 26px;
  font-variant-numeric: tabular-nums;
}
.bars {
  display: inline-block;
  width: 90px;
  background: var(--wash);
  vertical-align: middle;
}
.bars i {
  display: block;
  height: 5px;
  background: var(--ink);
}
.bars .soft {
  background: var(--quiet);
  margin-top: 1px;
}
</style>
