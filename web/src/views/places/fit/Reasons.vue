<script setup lang="ts">
import { computed } from 'vue'
import type { Bench, Fit } from '../../../api/client'
import { exactMoney, floorWords, gapWords, money, percent, plural, proofWords, resourceWord, seconds } from '../../../domain/format'
import { poolName } from '../../../domain/nodes'
import { poolHues } from '../../../theme/tokens'
import Reason from '../../../ui/Reason.vue'
import EvennessPart from './EvennessPart.vue'
import PromisesPart from './PromisesPart.vue'

/** Why this, and what it costs: pools, what binds them, promises kept, and the proof. */
const props = defineProps<{ fit: Fit; bench: Bench; mayEdit: boolean }>()
const total = computed(() => Number(props.fit.cost_per_month))
const promises: Record<string, string> = {
  none: 'no zone is promised to be survived',
  standing: 'survive any one zone: spare replicas run elsewhere',
  landing: 'survive any one zone: lost replicas go into reserved room',
  growing: 'survive any one zone: lost replicas wait for new nodes in the others',
}
const share = computed(() => (100 * Number(props.fit.floor_per_month)) / total.value)

function shopping(nodes: Fit['growth'][string]['nodes']): string {
  const counts = new Map<string, number>()
  for (const entry of nodes)
    counts.set(`${entry.instance_type} in ${entry.zone}`, (counts.get(`${entry.instance_type} in ${entry.zone}`) ?? 0) + entry.count)
  return [...counts].map(([name, count]) => `${count} ${name}`).join(', ')
}
function reasonsOf(pool: Fit['pools'][number]): string[] {
  const lines = Object.keys(pool.used).map(
    (name) =>
      `${resourceWord(name)}: ${percent(pool.used[name] ?? 0)} requested, ${percent(pool.free[name] ?? 0)} free in the worst promised loss`,
  )
  return [
    `${exactMoney(pool.cost_per_month)} ${props.fit.currency} a month.`,
    ...lines,
    `${resourceWord(pool.binding)} is full first: it has the least room left.`,
  ]
}
</script>

<template>
  <section class="reasons">
    <h2>Why this, and what it costs</h2>
    <PromisesPart :bench="bench" :fit="fit" :may-edit="mayEdit">
      <div>
        <h3>pools, nodes by zone</h3>
        <table>
          <thead>
            <tr>
              <th>pool</th>
              <th v-for="zone in fit.zones" :key="zone" class="number">{{ zone }}</th>
              <th class="number">{{ fit.currency }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(pool, place) in fit.pools" :key="pool.instance_type + pool.purchase">
              <td>
                <Reason :title="`pool ${poolName(pool)}`" :lines="reasonsOf(pool)">
                  <svg width="9" height="14" viewBox="0 0 9 14" aria-hidden="true">
                    <path d="M4.5 0L9 7 4.5 14 0 7z" :fill="poolHues[place % poolHues.length]" />
                  </svg>
                  <strong> {{ poolName(pool) }}</strong>
                  <span class="quiet binds"
                    >{{ resourceWord(pool.binding) }} is full first,<br />{{
                      percent(pool.free[pool.binding === 'memory_bytes' ? 'cpu_millicores' : 'memory_bytes'] ?? 0, 0)
                    }}
                    {{ pool.binding === 'memory_bytes' ? 'CPU' : 'memory' }} free</span
                  >
                </Reason>
              </td>
              <td v-for="zone in fit.zones" :key="zone" class="number">{{ pool.nodes[zone] || '–' }}</td>
              <td class="number" :title="exactMoney(pool.cost_per_month)">
                <strong>{{ money(pool.cost_per_month) }}</strong>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <div>
        <h3>promises kept</h3>
        <ul>
          <li>
            {{ promises[fit.survive_zone]
            }}<span v-if="fit.left_out.length" class="amber"
              >, but for {{ plural(fit.left_out.length, 'workload') }}: {{ fit.left_out.join(', ') }}</span
            >
          </li>
          <li v-if="fit.lost_nodes">
            survive any {{ plural(fit.lost_nodes, 'node') }} lost at once:
            {{
              {
                none: '',
                standing: 'enough replicas stand on others',
                landing: 'what they carry lands in room free on others',
                growing: 'what they carry waits for new nodes',
              }[fit.survive_nodes]
            }}
          </li>
          <li v-for="(growth, zone) in fit.growth" :key="zone">
            losing {{ zone }}:
            {{
              plural(
                growth.nodes.reduce((sum, entry) => sum + entry.count, 0),
                'new node',
              )
            }}, {{ exactMoney(growth.cost_per_hour) }} {{ fit.currency }} an hour while they run<span
              class="quiet binds"
              :title="shopping(growth.nodes)"
              >{{ shopping(growth.nodes) }}</span
            >
          </li>
          <li v-if="fit.limits.most_pools">at most {{ fit.limits.most_pools }} pools: {{ fit.pools.length }} used</li>
          <li v-if="fit.limits.fewest_nodes_per_pool">at least {{ fit.limits.fewest_nodes_per_pool }} nodes in every pool</li>
          <li v-if="fit.limits.fewest_nodes_per_zone">
            at least {{ fit.limits.fewest_nodes_per_zone }} of a pool in every zone where it runs
          </li>
          <li v-if="fit.limits.equal_zones">the same number of a pool’s nodes in every zone</li>
          <li>every zone’s bill: {{ fit.zones.map((zone) => `${zone} ${money(fit.zone_cost_per_month[zone] ?? 0)}`).join(', ') }}</li>
        </ul>
      </div>
      <EvennessPart :fit="fit" />
      <div>
        <h3>proof</h3>
        <Reason
          title="How near the cheapest possible"
          :lines="[
            'The floor is the value of a linear program whose columns are whole node loads, or of its relaxation with divisible replicas, whichever is higher. Its duals bound every possible answer from below, so none can be cheaper.',
            `floor ${exactMoney(fit.floor_per_month)}, this fit ${exactMoney(fit.cost_per_month)} ${fit.currency} a month.`,
            'An independent checker, which shares no code with the solver, has verified every rule of this fit.',
            proofWords(fit),
          ]"
        >
          <span class="bar"><i :style="{ width: `${share}%` }" /></span>
          <span class="ends"
            ><span>floor {{ floorWords(fit) }}</span
            ><strong>this fit {{ money(fit.cost_per_month) }} {{ fit.currency }}</strong></span
          >
        </Reason>
        <p class="quiet">{{ gapWords(fit.gap) }}. {{ proofWords(fit) }}</p>
        <p class="quiet">
          status {{ fit.status }} · checked · {{ seconds(fit.seconds) }} · seed {{ fit.seed }} · core {{ fit.core_version }}
        </p>
      </div>
    </PromisesPart>
    <p v-if="!bench.fit_is_current" class="madder">The study was edited after this fit.</p>
  </section>
</template>

<style scoped>
.reasons {
  display: grid;
  gap: 16px;
  min-width: 0;
}
.reasons > :deep(div) {
  min-width: 0;
}
h3 {
  margin-bottom: 4px;
}
td,
th {
  padding: 4px 3px;
}
table {
  table-layout: fixed;
}
th:first-child {
  width: 47%;
}
th.number,
td.number {
  font-size: 12px;
}
.amber {
  color: var(--amber);
}
.binds {
  display: block;
  font-size: 11px;
  line-height: 14px;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  padding: 4px 0;
  border-bottom: 1px solid var(--line);
}
.bar {
  display: block;
  height: 14px;
  background: var(--madderWash);
  border-right: 2px solid var(--ink);
}
.bar i {
  display: block;
  height: 14px;
  background: var(--petrol);
}
.ends {
  display: flex;
  justify-content: space-between;
  padding-top: 4px;
  font-variant-numeric: tabular-nums;
}
p {
  padding-top: 4px;
  font-size: 12px;
}
</style>
