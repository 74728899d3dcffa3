<script setup lang="ts">
import { computed } from 'vue'
import type { Outcome, Rehearsed, Scenario } from '../../../api/rehearsal'
import { clock } from '../../../domain/drill'
import { exactMoney, money, percent, plural } from '../../../domain/format'
import { timeWords } from '../../../domain/rehearsal'

/** What a rehearsal showed: what was late, who waited, what it cost; over all seeds, and beside another run. */
const props = defineProps<{
  rehearsed: Rehearsed
  outcome: Outcome
  other: Outcome | null
  scenario: Scenario | null
  current: boolean
  currency: string
}>()
const emit = defineEmits<{ moment: [at: number] }>()
const seeds = computed(() => Object.values(props.rehearsed.seeds))
const late = computed(() => seeds.value.map((seed) => seed.late_share))
const kept = computed(() => late.value.filter((share) => 100 * share <= (props.scenario?.most_late_percent ?? 100) + 1e-9).length)
const sum = (of: Outcome, field: 'asked' | 'late' | 'lost' | 'waited_min' | 'moved') =>
  of.workloads.reduce((all, row) => all + row[field], 0)
const share = (of: Outcome, field: 'late' | 'lost') => sum(of, field) / Math.max(1e-9, sum(of, 'asked'))
const longest = computed(() => [...props.outcome.workloads].sort((one, two) => two.longest_s - one.longest_s)[0])
const worst = computed(() =>
  props.outcome.workloads
    .filter((row) => row.lost > 0.0005 || row.waited_min > 0.05)
    .sort((one, two) => two.lost - one.lost || two.waited_min - one.waited_min)
    .slice(0, 8),
)
const lostJourneys = computed(() => props.rehearsed.journeys.filter((entry) => entry.lost_share > 0.00005))
const rows = computed(() => {
  const of = (pick: (outcome: Outcome) => string): [string, string] => [pick(props.outcome), props.other ? pick(props.other) : '']
  return [
    ['late: waited over a minute, or lost', ...of((run) => percent(share(run, 'late'), 3))],
    ['lost: nobody waits for it', ...of((run) => percent(share(run, 'lost'), 3))],
    ['replicas waited for a node', ...of((run) => `${sum(run, 'waited_min').toFixed(1)} min`)],
    ['nodes started, let go', ...of((run) => `${run.started}, ${run.stopped}`)],
    ['replicas moved off nodes that go', ...of((run) => String(sum(run, 'moved')))],
    ...(props.outcome.refused ? [['orders refused', ...of((run) => String(run.refused))]] : []),
    ...(props.outcome.interrupted ? [['nodes taken back', ...of((run) => String(run.interrupted))]] : []),
    [`cost, ${props.currency}`, ...of((run) => money(run.total))],
  ] as [string, string, string][]
})
/** What a plan keeps free for a lost zone is used by replicas beyond those it was made for. */
const beyond = computed(() => Math.ceil(Math.max(0, ...props.outcome.wished)) - (props.outcome.stood ?? 0))
const saved = computed(() => Number(props.outcome.planned) - Number(props.outcome.total))
</script>

<template>
  <section aria-label="read-out">
    <h2>{{ current ? 'What it showed' : 'What an earlier run showed' }}</h2>
    <p v-if="outcome.bottleneck" class="amber">{{ outcome.bottleneck }}</p>
    <p v-else class="quiet">No replica waited for a node.</p>
    <table>
      <thead v-if="other">
        <tr>
          <th></th>
          <th class="number">this run</th>
          <th class="number">before</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="[what, now, then] in rows" :key="what">
          <th scope="row">{{ what }}</th>
          <td class="number">{{ now }}</td>
          <td v-if="other" class="number quiet">{{ then }}</td>
        </tr>
      </tbody>
    </table>
    <p class="quiet" :title="`${exactMoney(outcome.total)} against ${exactMoney(outcome.planned)} ${currency}`">
      {{ money(Math.abs(saved)) }} {{ currency }} {{ saved >= 0 ? 'less' : 'more' }} than the nodes of the fit all the time.
    </p>
    <p v-if="outcome.stood && beyond > 0" class="amber">
      Up to {{ plural(beyond, 'replica') }} more than the plan at the start was made for are wanted at once: meanwhile they use what it
      keeps free for a lost zone or node.
    </p>
    <p v-if="longest?.longest_s">
      Longest wait for a node:
      <button type="button" class="plain-button link" @click="emit('moment', longest.longest_at_s)">
        {{ clock(longest.longest_s) }}, {{ timeWords(outcome.start_s, longest.longest_at_s) }}
      </button>
      {{ longest.workload }}.
    </p>
    <p v-for="(seconds, place) in outcome.bursts_s" :key="place">
      Command {{ place + 1 }}: {{ seconds === null ? 'not all of it ever ran' : `all of it runs after ${clock(seconds)}` }}.
    </p>
    <p v-if="rehearsed.burst_cost !== null" class="quiet">
      With what is commanded the time costs {{ exactMoney(rehearsed.burst_cost) }} {{ currency }} more than without.
    </p>
    <p v-if="seeds.length > 1" :title="late.map((value) => percent(value, 3)).join(', ')">
      Over {{ plural(seeds.length, 'seed') }}: {{ percent(Math.min(...late), 3) }} to {{ percent(Math.max(...late), 3) }} late, the promise
      kept in {{ kept }}.
    </p>
    <template v-if="lostJourneys.length">
      <h3>Journeys</h3>
      <p v-for="entry in lostJourneys" :key="entry.journey">
        {{ entry.journey }}: {{ percent(entry.lost_share, 3) }} lost with {{ entry.block }}
      </p>
    </template>
    <template v-if="worst.length">
      <h3>Who waited</h3>
      <table>
        <thead>
          <tr>
            <th>workload</th>
            <th class="number">pod-min</th>
            <th class="number">lost</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in worst" :key="row.workload">
            <td class="name">{{ row.workload }}</td>
            <td class="number">{{ row.waited_min.toFixed(1) }}</td>
            <td class="number">{{ row.asked ? percent(row.lost / row.asked, 2) : '–' }}</td>
          </tr>
        </tbody>
      </table>
    </template>
  </section>
</template>

<style scoped>
table {
  width: 100%;
  font-size: 12px;
}
th {
  font-weight: 450;
  text-align: left;
}
th.number,
td.number {
  text-align: right;
  white-space: nowrap;
}
.name {
  word-break: break-word;
}
p {
  padding: 3px 0;
  font-size: 12px;
}
</style>
