<script setup lang="ts">
import { computed } from 'vue'
import type { Seen } from '../../api/signing'
import { exactMoney, gapWords, money, plural, ruleWords } from '../../domain/format'
import { felt } from '../../domain/minutes'
import { findingWords } from '../../domain/words'
import BesideLanes from '../../pictures/beside/BesideLanes.vue'

/** A plan at the figures that are signed: what it costs, where nodes run, how long journeys are down, what drills and pre-flight say. */
const props = defineProps<{ seen: Seen; name: string }>()
const gap = computed(() => Number(props.seen.cost) / Number(props.seen.floor) - 1)
const nodes = computed(() => props.seen.nodes.reduce((sum, entry) => sum + entry.count, 0))
const zones = computed(() => new Set(props.seen.nodes.map((entry) => entry.zone)).size)
const pools = computed(() => new Set(props.seen.nodes.map((entry) => `${entry.instance_type} ${entry.purchase}`)).size)
const column = computed(() => ({
  key: 'seen',
  name: props.name,
  variant_id: null,
  fit_id: null,
  computed_at: null,
  is_current: true,
  nodes: props.seen.nodes,
}))
const drills = computed(() =>
  (['held', 'strained', 'broken'] as const)
    .map((mark) => [props.seen.drills?.filter((entry) => entry.mark === mark) ?? [], mark] as const)
    .filter(([found]) => found.length),
)
</script>

<template>
  <section class="seen" aria-label="figures that are signed">
    <dl class="heads">
      <div>
        <dt>Cost a month, with all fees</dt>
        <dd :title="`${exactMoney(seen.cost)} ${seen.currency}`">{{ money(seen.cost) }} {{ seen.currency }}</dd>
        <dd class="quiet">{{ gapWords(gap) }}</dd>
      </div>
      <div>
        <dt>Nodes</dt>
        <dd>{{ nodes }}</dd>
        <dd class="quiet">{{ plural(pools, 'pool') }} in {{ plural(zones, 'zone') }}</dd>
      </div>
      <div>
        <dt>Drills</dt>
        <dd>{{ seen.drills === null ? 'not all played' : seen.drills.length }}</dd>
        <dd class="quiet">{{ drills.map(([found, mark]) => `${found.length} ${mark}`).join(', ') }}</dd>
      </div>
      <div>
        <dt>Findings</dt>
        <dd>{{ seen.findings.length }}</dd>
        <dd class="quiet">{{ seen.findings.filter((entry) => entry.accepted).length }} accepted with a reason</dd>
      </div>
    </dl>
    <div class="pair">
      <div>
        <h2>How long journeys are down, a month</h2>
        <table v-if="seen.journeys.length" aria-label="journeys">
          <thead>
            <tr>
              <th>journey</th>
              <th class="number">down</th>
              <th class="number">allowed</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="own in seen.journeys" :key="own.name">
              <td>{{ own.name }}</td>
              <td class="number" :class="{ madder: own.allowed !== null && Number(own.minutes) > Number(own.allowed) }">
                {{ felt(Number(own.minutes)) }}
              </td>
              <td class="number">{{ own.allowed === null ? 'no target' : felt(Number(own.allowed)) }}</td>
            </tr>
          </tbody>
        </table>
        <p v-else class="quiet">No journey is stated.</p>
      </div>
      <div>
        <h2>What is paid for</h2>
        <table aria-label="bill">
          <tbody>
            <tr v-for="line in seen.bill" :key="line.name">
              <td>{{ line.name }}</td>
              <td class="number">{{ exactMoney(line.amount) }}</td>
            </tr>
            <tr class="sum">
              <td>{{ seen.currency }} a month</td>
              <td class="number">{{ exactMoney(seen.cost) }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </div>
    <div>
      <h2>Nodes by zone</h2>
      <BesideLanes :columns="[column]" />
    </div>
    <div v-if="seen.findings.length">
      <h2>What pre-flight says</h2>
      <ul class="plain">
        <li v-for="each in seen.findings" :key="each.text">
          <span :class="{ madder: each.grade === 'stop', amber: each.grade === 'care' }">{{ findingWords[each.grade] }}</span>
          {{ each.text }}.
          <span v-if="each.accepted" class="quiet">Accepted by {{ each.accepted }}</span>
        </li>
      </ul>
    </div>
    <div v-if="seen.deviations.length">
      <h2>House rules that are left</h2>
      <ul class="plain">
        <li v-for="each in seen.deviations" :key="each.rule">
          {{ ruleWords(each.rule) }}: {{ each.chosen }}. <span class="quiet">{{ each.why }}</span>
        </li>
      </ul>
    </div>
    <div v-if="drills.length">
      <h2>Drills</h2>
      <p v-for="[found, mark] in drills" :key="mark">
        <span :class="{ madder: mark === 'broken', amber: mark === 'strained' }">{{ mark }}:</span>
        {{ found.map((entry) => entry.name).join(', ') }}.
      </p>
    </div>
  </section>
</template>

<style scoped>
.seen {
  display: grid;
  gap: 16px;
}
.heads {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 12px;
  margin: 0;
  border-block: 1px solid var(--line);
  padding: 8px 0;
}
dt {
  color: var(--quiet);
  font-size: 12px;
}
dd {
  margin: 0;
  font-variant-numeric: tabular-nums;
}
dd:nth-of-type(1) {
  font-size: 17px;
  font-weight: 680;
}
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 24px;
}
.plain {
  margin: 4px 0 0;
  padding: 0;
  list-style: none;
  display: grid;
  gap: 3px;
}
.sum td {
  font-weight: 640;
}
.amber {
  color: var(--amber);
}
</style>
