<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref, toRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { isPlan, type Bench, lacksPlan } from '../../api/client'
import type { LevelName } from '../../api/demand'
import { useInquiry, useLevelFit, type CostOfChange } from '../../api/inquiries'
import { useSweep, useSweeps } from '../../api/sweeps'
import { nodeNumbered, numbersOf } from '../../domain/nodes'
import { useEscape } from '../../composables/useKeys'
import { useSize } from '../../composables/useSize'
import Lanes from '../../pictures/lanes/Lanes.vue'
import type { BenchActions } from '../../api/bench'
import BoundWays from './fit/BoundWays.vue'
import ConflictPart from './fit/ConflictPart.vue'
import DemandEdge from './fit/DemandEdge.vue'
import LevelLimits from './fit/LevelLimits.vue'
import LevelSwitch from './fit/LevelSwitch.vue'
import NodeStrata from './fit/NodeStrata.vue'
import Reasons from './fit/Reasons.vue'
import MigrationMiddle from './fit/MigrationMiddle.vue'
import MigrationStep from './fit/MigrationStep.vue'
import SweepMiddle from './fit/SweepMiddle.vue'
import SweepSide from './fit/SweepSide.vue'

const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const lost = defineModel<string | null>('lost', { required: true })
const route = useRoute()
const router = useRouter()
const middle = ref<HTMLElement | null>(null)
const size = useSize(middle)
const lit = ref<string | null>(null)
const levels = useInquiry(
  toRef(() => props.bench.variant.id),
  'levels',
)
const design = computed(() => levels.now.value?.levels ?? null)
const shown = computed(() => design.value?.levels.find((entry) => entry.level === route.query.level)?.level ?? null)
const levelFit = useLevelFit(
  computed(() => levels.now.value?.id ?? 0),
  shown,
)
const costOfChange = ref<CostOfChange>({ per_move: '2', per_node: '20' })
const steps = useInquiry(
  toRef(() => props.bench.variant.id),
  'steps',
  costOfChange,
)
const migration = computed(() => steps.now.value?.steps ?? null)
const view = computed(() => (route.query.view === 'steps' || route.query.view === 'sweep' ? route.query.view : 'lanes'))
const walking = computed(() => view.value === 'steps')
const sweeps = useSweeps(
  toRef(() => props.bench.study.id),
  computed(() => view.value === 'sweep'),
)
/** The sweep that the address names, else the newest. */
const line = computed(() => sweeps.lines.value.find((each) => each.id === Number(route.query.sweep)) ?? sweeps.lines.value[0] ?? null)
const sweep = useSweep(computed(() => (view.value === 'sweep' ? line.value : null)))
const point = computed(() => (route.query.point === undefined ? null : Number(route.query.point)))
const step = computed(() => Math.min(Number(route.query.step ?? -1), (migration.value?.steps.length ?? 0) - 1))
const own = computed(() => (isPlan(props.bench.fit) ? props.bench.fit : null))
const VIEWS = { lanes: 'Lanes', steps: 'From what runs', sweep: 'Sweep' } as const
const fit = computed(() => (shown.value ? (levelFit.data.value ?? null) : own.value))
useEscape(
  () => node.value !== null,
  () => choose(null),
)
const node = computed(() => (fit.value ? nodeNumbered(fit.value.nodes, Number(route.query.node ?? -1)) : null))

function show(level: LevelName | null): void {
  void router.replace({ query: { ...route.query, node: undefined, level: level ?? undefined } })
}
function choose(number: number | null): void {
  void router.replace({ query: { ...route.query, node: number === null ? undefined : String(number) } })
}
/** Show a drill of the book, or begin to compose one. */
function drill(query: Record<string, string>): void {
  lost.value = null
  void router.push({ path: `/bench/${props.bench.variant.id}/drills`, query })
}
function look(at: 'lanes' | 'steps' | 'sweep', more: Record<string, string> = {}): void {
  const cleared = { step: undefined, sweep: undefined, point: undefined }
  void router.replace({ query: { ...route.query, ...cleared, view: at === 'lanes' ? undefined : at, ...more } })
}
</script>

<template>
  <div class="fit">
    <DemandEdge
      :workloads="bench.workloads.map((row) => ({ ...row, replicas: row.counts[shown ?? bench.variant.level] }))"
      :fit="fit"
      @light="lit = $event"
    />
    <section class="middle">
      <div class="head">
        <h2 v-for="(title, name) in VIEWS" :key="name">
          <button type="button" class="plain-button view" :aria-pressed="view === name" @click="look(name)">{{ title }}</button>
        </h2>
        <span v-if="lost && view === 'lanes'" class="madder lost">losing {{ lost }} · Esc restores</span>
        <LevelSwitch
          v-if="view === 'lanes' && bench.workloads.length"
          :inquiry="levels.now.value"
          :design="design"
          :shown="shown"
          :may-edit="mayEdit"
          :currency="bench.study.currency"
          @show="show"
          @ask="levels.ask.mutate()"
          @stop="levels.stop.mutate($event)"
        />
      </div>
      <div ref="middle" class="canvas">
        <template v-if="walking">
          <MigrationMiddle
            v-if="bench.study.listed"
            v-model:cost-of-change="costOfChange"
            :bench="bench"
            :inquiry="steps.now.value"
            :migration="migration"
            :may-edit="mayEdit"
            :chosen="step"
            @ask="steps.ask.mutate()"
            @stop="steps.stop.mutate($event)"
            @choose="look('steps', { step: String($event) })"
          />
          <p v-else class="empty quiet">
            No running cluster is known. Import the listing of one, with its nodes, under Demand; then the steps from it to a cheaper plan
            are found here.
          </p>
        </template>
        <SweepMiddle
          v-else-if="view === 'sweep'"
          :bench="bench"
          :sweeps="sweeps"
          :line="line"
          :sweep="sweep.data.value ?? null"
          :may-edit="mayEdit"
          :chosen="point"
          @show="look('sweep', { sweep: String($event) })"
          @choose="look('sweep', { sweep: String(line?.id ?? 0), point: String($event) })"
        />
        <Lanes
          v-else-if="fit"
          :fit="fit"
          :width="size.width.value"
          :height="size.height.value"
          :lost="lost"
          :lit="lit"
          :chosen="node?.number ?? null"
          @lose="lost = $event"
          @choose="choose"
          @drill="drill({ drill: `lose zone ${$event}` })"
        />
        <div v-else class="empty">
          <p v-if="shown" class="quiet">The level’s nodes are fetched.</p>
          <template v-else-if="bench.fit && lacksPlan(bench.fit)">
            <h2 class="madder">
              {{
                bench.fit.status === 'infeasible' ? 'No plan can keep these promises' : 'No plan was found, and none is proved impossible'
              }}
            </h2>
            <p v-for="reason in bench.fit.reasons.slice(0, 12)" :key="reason">{{ reason }}</p>
          </template>
          <template v-else>
            <h2>No fit yet</h2>
            <p v-for="fault in bench.faults" :key="fault.reason">{{ fault.reason }} {{ fault.fix }}</p>
            <p v-if="!bench.faults.length" class="quiet">Press f to compute one.</p>
          </template>
        </div>
      </div>
      <p v-if="view === 'lanes' && fit" class="key quiet">
        left: CPU, right: memory requested · red: where lost replicas land · point at a zone to lose it, click to drill it · click a node
      </p>
    </section>
    <aside class="right">
      <MigrationStep v-if="walking && migration" :migration="migration" :bench="bench" :chosen="step" />
      <template v-else-if="view === 'sweep'">
        <SweepSide v-if="sweep.data.value" :sweep="sweep.data.value" :chosen="point" />
      </template>
      <template v-else-if="node && fit">
        <NodeStrata :node="node" :fit="fit" :workloads="bench.workloads" :lost="lost" @close="choose(null)" />
        <p>
          <NButton size="tiny" @click="drill({ compose: 'shrink', type: node.instance_type, purchase: node.purchase })">
            Drill this pool
          </NButton>
        </p>
      </template>
      <LevelLimits
        v-else-if="shown && design"
        :design="design"
        :currency="bench.study.currency"
        :current="levels.now.value?.is_current ?? false"
      />
      <Reasons v-else-if="fit" :fit="fit" :bench="bench" :may-edit="mayEdit" />
      <template v-else-if="lacksPlan(bench.fit) && !shown">
        <BoundWays v-if="mayEdit" :bench="bench" :actions="actions" />
        <ConflictPart :bench="bench" :may-edit="mayEdit" />
      </template>
    </aside>
    <div v-if="fit" class="unseen">
      <table>
        <caption>
          Every node of the fit
        </caption>
        <thead>
          <tr>
            <th>node</th>
            <th>type</th>
            <th>zone</th>
            <th>replicas</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="entry in fit.nodes" :key="entry.number">
            <td>{{ numbersOf(entry) }}</td>
            <td>{{ entry.instance_type }}</td>
            <td>{{ entry.zone }}</td>
            <td>
              {{
                Object.entries(entry.replicas)
                  .map(([name, count]) => `${count} ${name}`)
                  .join(', ')
              }}
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped>
.fit {
  display: grid;
  grid-template-columns: minmax(250px, 292px) minmax(420px, 1fr) minmax(260px, 312px);
  height: 100%;
  position: relative;
}
.middle {
  display: grid;
  grid-template-rows: 34px 1fr 24px;
  min-height: 0;
  padding: 4px 10px 0;
  border-left: 1px solid var(--line);
  border-right: 1px solid var(--line);
}
.head {
  display: flex;
  gap: 14px;
  align-items: baseline;
  padding: 6px 4px;
  white-space: nowrap;
  overflow: hidden;
}
.view {
  color: var(--quiet);
}
.view[aria-pressed='true'] {
  color: var(--ink);
  box-shadow: 0 2px 0 var(--madder);
}
.lost {
  font-weight: 600;
}
.canvas {
  min-height: 0;
  overflow: hidden;
}
.key {
  font-size: 12px;
  padding: 0 4px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.right {
  overflow: auto;
  padding: 10px 14px;
}
.empty {
  padding: 40px;
  display: grid;
  gap: 10px;
  align-content: start;
  overflow: auto;
  height: 100%;
}
</style>
