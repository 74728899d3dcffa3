<script setup lang="ts">
import { computed } from 'vue'
import type { Design } from '../../../api/client'
import { levelNames } from '../../../api/demand'
import { exactMoney, money, percent } from '../../../domain/format'
import { poolName } from '../../../domain/nodes'

/** The design for the whole month: what each level costs, and between how many nodes every pool may run, with what set it. */
const props = defineProps<{ design: Design; currency: string; current: boolean }>()
const most = computed(() => Math.max(1, ...props.design.levels.map((entry) => Number(entry.cost))))
const gap = computed(() => (Number(props.design.floor) ? Number(props.design.cost) / Number(props.design.floor) - 1 : 0))
const dearest = computed(() => props.design.levels.find((entry) => entry.level === 'peak'))
const short = computed(() => (props.design.lead ? props.design.lead.kept_millicores - props.design.lead.free_millicores : 0))
const vcpu = (millicores: number) => (millicores / 1000).toFixed(1)
const pools = computed(() => {
  const found = new Map<string, Design['limits']>()
  for (const row of props.design.limits) {
    const name = poolName(row)
    found.set(name, [...(found.get(name) ?? []), row])
  }
  return [...found]
})
</script>

<template>
  <section class="limits">
    <h2>One design for the month</h2>
    <p v-for="reason in design.reasons" :key="reason" class="madder">{{ reason }}</p>
    <template v-if="design.levels.length">
      <p>
        <strong>{{ exactMoney(design.cost) }} {{ currency }}</strong> a month with nodes that follow the level, {{ percent(gap) }} above the
        floor.<template v-if="dearest"> The peak’s nodes all month: {{ money(dearest.cost) }}.</template>
      </p>
      <div>
        <h3>a month of nothing else, {{ currency }}, and share of hours</h3>
        <div v-for="entry in design.levels" :key="entry.level" class="bar">
          <span>{{ levelNames[entry.level] }}</span><i :style="{ width: `${(84 * Number(entry.cost)) / most}px` }" /><span class="number">{{
            money(entry.cost)
          }}</span
          ><span class="quiet number">{{ entry.share ? percent(entry.share, 0) : 'to come' }}</span>
        </div>
      </div>
      <div>
        <h3>autoscaling limits, min to max nodes</h3>
        <table>
          <tbody>
            <template v-for="[pool, rows] in pools" :key="pool">
              <tr class="pool">
                <td colspan="3">
                  <strong>{{ pool }}</strong>
                </td>
              </tr>
              <tr v-for="row in rows" :key="row.zone" :title="`min: ${row.least_because}; max: ${row.most_because}`">
                <td>{{ row.zone }}</td>
                <td class="number">{{ row.least }}–{{ row.most }}</td>
                <td class="quiet">{{ row.most_because }}</td>
              </tr>
            </template>
          </tbody>
        </table>
      </div>
      <div v-if="design.lead">
        <h3>free for the time a node takes to start</h3>
        <p>
          Measured use rises by at most <strong>{{ percent(design.lead.share) }}</strong> of its peak within {{ design.lead.within_s }} s in
          {{ design.lead.percent }} of 100 moments: <strong>{{ vcpu(design.lead.kept_millicores) }} vCPU</strong> at the peak’s requests.
          The trough leaves {{ vcpu(design.lead.free_millicores) }} free, even after the worst promised loss<template v-if="short > 0"
            >, {{ vcpu(short) }} too few: raise a fewest by that much, or let replicas wait</template
          ><template v-else>, which is enough</template>.
        </p>
      </div>
      <p v-if="!current" class="madder">The study was edited after this design.</p>
    </template>
  </section>
</template>

<style scoped>
.limits {
  display: grid;
  gap: 12px;
  min-width: 0;
}
.bar {
  display: grid;
  grid-template-columns: 76px 86px 50px 1fr;
  gap: 6px;
  align-items: center;
  font-size: 12px;
  padding: 2px 0;
}
.bar span {
  white-space: nowrap;
  text-align: right;
}
.bar span:first-child {
  text-align: left;
}
.bar i {
  display: block;
  height: 9px;
  background: var(--petrol);
}
td {
  padding: 2px 3px;
  font-size: 12px;
  vertical-align: top;
}
.pool td {
  padding-top: 8px;
}
td.quiet {
  font-size: 11px;
}
td.number {
  white-space: nowrap;
  text-align: right;
  font-weight: 600;
  padding-right: 8px;
}
</style>
