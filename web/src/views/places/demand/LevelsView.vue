<script setup lang="ts">
import { NButton, NInputNumber, NRadioButton, NRadioGroup } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import type { BenchActions } from '../../../api/bench'
import type { Bench } from '../../../api/client'
import { levelNames as names, useLevels, type DemandActions, type LevelName } from '../../../api/demand'
import { gibibytes, vcpus } from '../../../domain/format'

/** Trough, usual, peak and grown peak: what each asks for, how many hours it holds, and which one the variant fits. */
const props = defineProps<{ bench: Bench; actions: BenchActions; demand: DemandActions; mayEdit: boolean }>()
const emit = defineEmits<{ choose: [key: string] }>()
const found = useLevels(computed(() => props.bench.study.id))
const data = computed(() => found.data.value)
const shares = ref({ trough: 30, usual: 55, peak: 15 })
const growth = ref(0)
watch(data, (now) => now && ((shares.value = { ...shares.value, ...now.shares }), (growth.value = now.growth_percent)), { immediate: true })
const most = computed(() => Math.max(1, ...(data.value?.levels ?? []).map((level) => level.cpu_millicores)))
const moving = computed(() => [...(data.value?.rows ?? [])].sort((a, b) => spread(b) - spread(a)))
const sum = computed(() => shares.value.trough + shares.value.usual + shares.value.peak)

function spread(row: { counts: Record<LevelName, { replicas: number }> }): number {
  return row.counts.grown.replicas - row.counts.trough.replicas
}
function mostOf(row: { counts: Record<LevelName, { replicas: number; wanted: number }> }): number {
  return Math.max(1, row.counts.grown.wanted, row.counts.peak.wanted, row.counts.usual.replicas)
}
function saveShares(): void {
  if (sum.value === 100) props.demand.change.mutate({ level_shares: shares.value })
}
</script>

<template>
  <div v-if="data" class="levels">
    <section class="whole" aria-label="demand by level">
      <div v-for="level in data.levels" :key="level.level" class="level" :class="{ fitted: level.level === bench.variant.level }">
        <h2>{{ names[level.level] }}</h2>
        <p class="big">{{ vcpus(level.cpu_millicores) }} <small>vCPU</small> {{ gibibytes(level.memory_bytes) }} <small>GiB</small></p>
        <i class="bar" :style="{ width: `${(100 * level.cpu_millicores) / most}%` }" />
        <p class="quiet">
          {{ level.replicas }} replicas · <template v-if="level.level !== 'grown'">{{ level.hours.toFixed(0) }} h a month</template
          ><template v-else>yet to come</template>
        </p>
        <p v-if="level.level === bench.variant.level" class="madder">this variant fits it</p>
      </div>
    </section>
    <section class="choices" aria-label="choices of levels">
      <div>
        <h3>The fit is made for</h3>
        <NRadioGroup
          :value="bench.variant.level"
          size="small"
          :disabled="!mayEdit"
          name="level"
          @update:value="actions.change.mutate({ level: $event })"
          ><NRadioButton v-for="(title, name) in names" :key="name" :value="name">{{ title }}</NRadioButton></NRadioGroup
        >
      </div>
      <div>
        <h3>Growth up to the grown peak, in percent</h3>
        <NInputNumber
          v-model:value="growth"
          size="small"
          :min="0"
          :max="1000"
          :show-button="false"
          :disabled="!mayEdit"
          :input-props="{ 'aria-label': 'growth in percent' }"
          @blur="growth !== data.growth_percent && demand.change.mutate({ growth_percent: growth ?? 0 })"
          @keydown.enter="demand.change.mutate({ growth_percent: growth ?? 0 })"
        />
      </div>
      <div>
        <h3>Share of a month’s hours, in percent</h3>
        <div class="shares">
          <label v-for="name in ['trough', 'usual', 'peak'] as const" :key="name"
            >{{ name }}
            <NInputNumber
              v-model:value="shares[name]"
              size="small"
              :min="0"
              :max="100"
              :show-button="false"
              :disabled="!mayEdit"
              :input-props="{ 'aria-label': `hours at ${name}` }"
          /></label>
          <NButton v-if="mayEdit" size="small" :disabled="sum !== 100" @click="saveShares">Set</NButton
          ><span v-if="sum !== 100" class="madder">sums to {{ sum }}</span>
        </div>
      </div>
      <div v-if="bench.study.measured && mayEdit">
        <h3>From what was measured</h3>
        <NButton
          size="small"
          :loading="demand.follow.isPending.value"
          title="trough: 25th percentile of the CPU of all replicas, usual: 75th, peak: 99.5th (nearest rank)"
          @click="demand.follow.mutate({ what: 'levels', keys: [], trend: 'robust', horizon_days: 120 })"
          >Let replicas follow measured CPU</NButton
        >
      </div>
    </section>
    <div class="table">
      <table>
        <thead>
          <tr>
            <th>workload</th>
            <th>replicas follow</th>
            <th v-for="(title, name) in names" :key="name" class="number">{{ title }}</th>
            <th>trough to grown peak</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in moving" :key="row.key">
            <td>
              <button type="button" class="plain-button" @click="emit('choose', row.key)">{{ row.name }}</button>
            </td>
            <td class="quiet">{{ row.why }}</td>
            <td
              v-for="(_, name) in names"
              :key="name"
              class="number"
              :class="{ madder: row.counts[name].wanted > row.counts[name].replicas }"
              :title="
                row.counts[name].wanted > row.counts[name].replicas ? `${row.counts[name].wanted} wanted: a bound cuts them` : undefined
              "
            >
              {{ row.counts[name].replicas
              }}<sup v-if="row.counts[name].wanted > row.counts[name].replicas">/{{ row.counts[name].wanted }}</sup>
            </td>
            <td>
              <svg width="150" height="12" aria-hidden="true">
                <line x1="4" x2="146" y1="6" y2="6" class="rail" />
                <line
                  :x1="4 + (142 * row.counts.trough.replicas) / mostOf(row)"
                  :x2="4 + (142 * row.counts.grown.replicas) / mostOf(row)"
                  y1="6"
                  y2="6"
                  class="span"
                />
                <path
                  v-for="(_, name) in names"
                  :key="name"
                  :d="`M${4 + (142 * row.counts[name].replicas) / mostOf(row)} 2l3 4-3 4-3-4z`"
                  :class="name"
                />
              </svg>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped>
.levels {
  display: grid;
  grid-template-rows: auto auto 1fr;
  gap: 12px;
  min-height: 0;
  height: 100%;
  padding-top: 10px;
}
.whole {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 18px;
}
.level {
  padding: 6px 10px;
  border-left: 1px solid var(--line);
}
.fitted {
  border-left: 3px solid var(--madder);
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
.bar {
  display: block;
  height: 6px;
  background: var(--ink);
  margin: 4px 0;
}
.choices {
  display: flex;
  gap: 28px;
  flex-wrap: wrap;
  align-items: start;
}
.choices :deep(.n-input-number) {
  width: 72px;
}
.shares {
  display: flex;
  gap: 10px;
  align-items: center;
}
label {
  display: flex;
  gap: 6px;
  align-items: center;
}
.table {
  overflow: auto;
  min-height: 0;
}
thead th {
  position: sticky;
  top: 0;
  background: var(--paper);
}
td {
  padding: 2px 6px;
}
.rail {
  stroke: var(--line);
}
.span {
  stroke: var(--quiet);
  stroke-width: 2;
}
path {
  fill: var(--ink);
}
.grown {
  fill: var(--paper);
  stroke: var(--madder);
  stroke-width: 1.3;
}
.trough {
  fill: var(--quiet);
}
</style>
