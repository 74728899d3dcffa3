<script setup lang="ts">
import { NButton, NRadioButton, NRadioGroup } from 'naive-ui'
import { computed, ref } from 'vue'
import { Problem, underWay, type Bench } from '../../../api/client'
import { useUsage, type DemandActions, type UsageSet } from '../../../api/demand'
import { percent } from '../../../domain/format'
import FaultList from '../../../ui/FaultList.vue'
import ShareBar from '../../../ui/ShareBar.vue'

/** Read a file of measurements, say what it holds and whom it measures, and take it. */
const props = defineProps<{ bench: Bench; demand: DemandActions; mayEdit: boolean }>()
const emit = defineEmits<{ done: [] }>()
const format = ref<'csv' | 'range-query' | 'openmetrics'>('csv')
const hints = {
  csv: 'Long: time, namespace, name, perhaps replica, then cpu (cores), memory (bytes; or memory_mib) or rate. Wide: time, then columns headed “namespace/name cpu”. An empty cell is a gap.',
  'range-query':
    'The JSON answer of a metrics range query: a matrix with namespace and workload or pod among the labels; metrics that count up (…_total) become rates.',
  openmetrics: 'OpenMetrics text with a time on every sample, ending in # EOF.',
}
const found = useUsage(
  computed(() => props.bench.study.id),
  computed(() => (props.demand.read.data.value as UsageSet | undefined)?.id ?? null),
)
const made = computed(() => found.data.value)
const reading = computed(() => underWay(made.value))
const error = computed(() => props.demand.read.error.value as Problem | null)

function load(event: Event): void {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (file) props.demand.read.mutate({ format: format.value, file })
}
function take(id: number): void {
  props.demand.takeUsage.mutate(id, { onSuccess: () => (props.demand.read.reset(), emit('done')) })
}
</script>

<template>
  <section class="import cut" aria-label="read measurements">
    <div>
      <h2>Measured use</h2>
      <p v-if="!mayEdit" class="quiet">Nothing was measured yet; a planner can read a series.</p>
      <template v-else>
        <NRadioGroup v-model:value="format" size="small" name="usage-format"
          ><NRadioButton value="csv">CSV</NRadioButton><NRadioButton value="range-query">range query JSON</NRadioButton
          ><NRadioButton value="openmetrics">OpenMetrics</NRadioButton></NRadioGroup
        >
        <p class="quiet">{{ hints[format] }}</p>
        <input
          type="file"
          accept=".csv,.json,.txt,.prom"
          aria-label="file of measurements"
          :disabled="demand.read.isPending.value || reading"
          @change="load"
        />
        <p v-if="demand.read.isPending.value" role="status">sending the file…</p>
        <div v-if="made && reading" class="progress" role="status">
          <span>{{ made.status === 'queued' ? 'waiting for a worker' : made.phase }}</span><ShareBar
            :share="made.share"
            label="share of the measurements read"
          /><NButton size="tiny" @click="demand.stopReading.mutate(made.id)">Stop</NButton>
        </div>
      </template>
    </div>
    <div>
      <FaultList v-if="error" :title="error.message" :faults="error.faults" />
      <FaultList v-else-if="made?.status === 'failed'" :title="made.message" :faults="made.faults" />
      <template v-else-if="made?.status === 'done'">
        <p>
          <strong>{{ made.workloads }} workloads</strong>, {{ made.window }}, every {{ made.step_s }} s,
          {{ made.samples.toLocaleString('en-GB') }} samples, {{ percent(made.gaps) }} without one, {{ made.resets }} counter resets.
        </p>
        <p v-for="entry in made.left_out" :key="entry.what" class="quiet">{{ entry.count }} series left out: {{ entry.what }}</p>
        <p v-if="made.without.length" class="quiet">
          Not measured: {{ made.without.slice(0, 6).join(', ') }}{{ made.without.length > 6 ? ` and ${made.without.length - 6} more` : '' }}
        </p>
        <NButton size="small" type="primary" :loading="demand.takeUsage.isPending.value" @click="take(made.id)"
          >Use it in this study</NButton
        >
      </template>
      <p v-else class="quiet">
        Whom it measures, its gaps and its resets will stand here. The study does not use it before you take it;
        <span class="mono">./rombel samples</span> writes series to try.
      </p>
    </div>
  </section>
</template>

<style scoped>
.import {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 18px;
  padding: 14px;
}
.import > div {
  display: grid;
  gap: 8px;
  align-content: start;
  justify-items: start;
}
input[type='file']::file-selector-button {
  font: inherit;
  border: 1px solid var(--line);
  background: var(--paper);
  color: var(--ink);
  padding: 3px 10px;
  margin-right: 10px;
}
.progress {
  display: grid;
  grid-template-columns: auto 1fr auto auto;
  gap: 10px;
  align-items: center;
  width: 100%;
}
</style>
