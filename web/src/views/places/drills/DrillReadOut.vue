<script setup lang="ts">
import { computed } from 'vue'
import type { DrillResult } from '../../../api/drills'
import { clock } from '../../../domain/drill'
import { percent, plural, resourceWord } from '../../../domain/format'
import MarkWord from './MarkWord.vue'

/** What a drill showed: times, journeys, workloads, what an unguided scheduler makes of it, and the operator's steps. */
const props = defineProps<{ result: DrillResult }>()
const emit = defineEmits<{ moment: [seconds: number] }>()
const never = computed(() =>
  props.result.workloads
    .filter((row) => row.serving < row.needed)
    .map((row) => row.workload)
    .join(', '),
)
const times = computed<[string, number][]>(() => [
  ...(never.value ? [] : [['serves again after', props.result.serving_s] as [string, number]]),
  ['whole again after', props.result.whole_s],
  ['last event after', props.result.ends_s],
])
const MONTH = 30 * 24 * 60
const spent = computed(() => Object.entries(props.result.spent).filter(([, seconds]) => seconds > 0))
const journeys = computed(() => props.result.journeys.filter((entry) => entry.minutes > 0 || entry.down))
const waited = computed(() => Object.entries(props.result.unguided?.waited ?? {}).sort((a, b) => b[1] - a[1]))
const waitingWords = computed(() => {
  const told = waited.value.slice(0, 3).map(([name, count]) => `${count} ${name}`)
  const more = waited.value.length - told.length
  return [...told, ...(more > 0 ? [`and of ${plural(more, 'more workload')}`] : [])].join(', ')
})
</script>

<template>
  <h2><MarkWord :mark="result.mark" /> {{ result.drill.name }}</h2>
  <p v-if="result.reason" :class="result.mark === 'broken' ? 'madder' : 'amber'">{{ result.reason }}</p>
  <p v-if="result.searched" class="quiet">{{ result.searched }}.</p>
  <table>
    <tbody>
      <tr v-for="[what, seconds] in times" :key="what">
        <th scope="row">{{ what }}</th>
        <td>
          <button type="button" class="plain-button link" :title="`show the moment ${clock(seconds)}`" @click="emit('moment', seconds)">
            {{ clock(seconds) }}
          </button>
        </td>
      </tr>
      <tr v-if="never">
        <th scope="row">serves again</th>
        <td class="madder">not at all: {{ never }}</td>
      </tr>
      <tr v-for="[what, seconds] in spent" :key="what">
        <th scope="row">{{ what }}</th>
        <td>{{ clock(seconds) }} in all</td>
      </tr>
      <tr>
        <th scope="row">room left at the end</th>
        <td>
          {{ ['cpu_millicores', 'memory_bytes'].map((name) => `${percent(result.free[name] ?? 0, 0)} ${resourceWord(name)}`).join(', ') }}
        </td>
      </tr>
      <tr v-if="result.extra_nodes">
        <th scope="row">nodes beyond the plan</th>
        <td>{{ result.extra_nodes }}</td>
      </tr>
      <tr>
        <th scope="row">control plane</th>
        <td>
          {{ result.quorum ? 'has its majority' : 'no majority'
          }}<template v-if="result.no_quorum_s">, none for {{ clock(result.no_quorum_s) }}</template>
        </td>
      </tr>
      <tr v-for="row in journeys" :key="row.journey">
        <th scope="row">{{ row.journey }}</th>
        <td :class="{ madder: row.down || row.minutes > row.allowed }">
          {{
            row.down
              ? 'down to the end'
              : row.allowed < MONTH
                ? `${row.minutes.toFixed(1)} min of ${row.allowed.toFixed(1)} a month`
                : `${row.minutes.toFixed(1)} min, no target`
          }}
        </td>
      </tr>
    </tbody>
  </table>
  <p v-if="result.unguided">
    Left to the cluster’s own scheduler, everything lands in {{ result.unguided.landed }} of {{ result.unguided.runs }} runs<template
      v-if="waited.length"
      >; waiting: {{ waitingWords }}</template
    >.
    <template v-if="result.unguided.landed < result.unguided.runs">{{
      result.unguided.sufficed_percent
        ? `With ${result.unguided.sufficed_percent} % more room on every node all of them land.`
        : 'Even 40 % more room on every node does not make all of them land.'
    }}</template>
  </p>
  <p v-for="line in result.warnings" :key="line" class="amber">{{ line }}</p>
  <template v-if="result.checklist.length">
    <h3>The operator’s steps</h3>
    <ol>
      <li v-for="line in result.checklist" :key="line">{{ line }}</li>
    </ol>
  </template>
  <template v-if="result.workloads.length">
    <h3>{{ plural(result.workloads.length, 'workload') }} touched</h3>
    <table>
      <thead>
        <tr>
          <th scope="col">workload</th>
          <th scope="col">lost</th>
          <th scope="col">moved</th>
          <th scope="col">fewest</th>
          <th scope="col">needs</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in result.workloads" :key="row.workload" :class="{ madder: row.serving < row.needed }">
          <th scope="row" :title="row.short_s ? `too few for ${clock(row.short_s)}` : 'never too few'">{{ row.workload }}</th>
          <td>{{ row.lost || '–' }}</td>
          <td>{{ row.moved || '–' }}</td>
          <td>{{ row.least }}</td>
          <td>{{ row.needed }}</td>
        </tr>
      </tbody>
    </table>
  </template>
</template>

<style scoped>
.link {
  text-decoration: underline dotted;
}
p {
  padding: 4px 0;
}
h3 {
  padding-top: 10px;
}
ol {
  margin: 4px 0;
  padding-left: 20px;
}
li {
  padding: 2px 0;
}
td,
th {
  font-size: 12px;
  padding: 3px 4px;
  overflow-wrap: anywhere;
}
thead th {
  overflow-wrap: normal;
}
</style>
