<script setup lang="ts">
import { NButton, NCheckbox, NInputNumber, NSelect } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import type { DrillKind, DrillStep } from '../../../api/drills'
import { isPlan, type Bench } from '../../../api/client'
import { stepWords } from '../../../domain/drill'
import OneOf from '../../../ui/OneOf.vue'

/** A drill of one's own, composed as a sentence with choices; a further step waits for the one before it. */
const props = defineProps<{ bench: Bench; dependencies: string[]; taken: string[]; busy: boolean; begin: Partial<DrillStep> | null }>()
const emit = defineEmits<{ keep: [drill: { name: string; steps: DrillStep[] }]; close: [] }>()

const LEADS: Record<DrillKind, string> = {
  nodes: 'lose nodes',
  zone: 'lose a zone',
  region: 'lose the region',
  members: 'lose control-plane members',
  dependency: 'a dependency is down',
  stock: 'run out of stock',
  interruption: 'interruptible nodes are taken back',
  shrink: 'shrink a pool',
  grow: 'grow a pool',
  even: 'even out the nodes',
  version: 'roll a version',
  retype: 'replace a pool’s type',
  retire: 'retire the cluster',
}
const fit = computed(() => (isPlan(props.bench.fit) ? props.bench.fit : null))
const zones = computed(() => fit.value?.zones ?? [])
const pools = computed(() => {
  const counts = new Map<string, number>()
  for (const node of fit.value?.nodes ?? []) {
    const key = `${node.instance_type} ${node.purchase}`
    counts.set(key, (counts.get(key) ?? 0) + node.count)
  }
  return counts
})
const kinds = computed(() =>
  (Object.keys(LEADS) as DrillKind[])
    .filter((kind) => kind !== 'dependency' || props.dependencies.length)
    .map((kind) => ({ value: kind, label: LEADS[kind] })),
)
const options = (names: Iterable<string>) => [...names].map((name) => ({ value: name, label: name }))

type Draft = {
  kind: DrillKind
  zone: string
  pool: string
  toType: string
  dependency: string
  count: number
  share: number
  alone: boolean
  wait: number
}
function draft(from: Partial<DrillStep> = {}): Draft {
  const pool = from.instance_type ? `${from.instance_type} ${from.purchase ?? 'on-demand'}` : ([...pools.value.keys()][0] ?? '')
  const kind = from.kind ?? 'zone'
  return {
    kind,
    pool,
    zone: from.zone ?? zones.value[0] ?? '',
    toType: '',
    dependency: props.dependencies[0] ?? '',
    count: from.count ?? countFor(kind, pool),
    share: kind === 'even' ? 20 : 50,
    alone: false,
    wait: 10,
  }
}
function countFor(kind: DrillKind, pool: string): number {
  const there = pools.value.get(pool) ?? 1
  return kind === 'shrink' ? Math.max(0, there - 1) : kind === 'grow' ? there + 1 : 1
}
const steps = ref<Draft[]>([draft(props.begin ?? {})])
watch(
  () => props.begin,
  (begin) => begin && (steps.value = [draft(begin)]),
)

function plain(step: Draft, place: number): DrillStep {
  const [type, purchase] = step.pool.split(' ') as [string, DrillStep['purchase']]
  const pool = { instance_type: type, purchase }
  const own: Record<DrillKind, Partial<DrillStep>> = {
    nodes: { count: step.count },
    zone: { zone: step.zone },
    region: {},
    members: { count: step.count },
    dependency: { dependency: step.dependency },
    stock: { instance_type: type, zone: step.zone },
    interruption: { share: step.share / 100 },
    shrink: { ...pool, count: step.count },
    grow: { ...pool, count: step.count },
    even: { share: step.share / 100 },
    version: step.alone ? { control_plane_only: true } : {},
    retype: { ...pool, to_type: step.toType },
    retire: {},
  }
  const chained = place ? { after: `step ${place}`, at_s: 60 * step.wait } : {}
  const named = place < steps.value.length - 1 ? { name: `step ${place + 1}` } : {}
  return { kind: step.kind, ...own[step.kind], ...chained, ...named }
}
const whole = computed(() => steps.value.map(plain))
const name = computed(() => {
  const words = whole.value.map(stepWords).join(', then ')
  let found = words
  for (let number = 2; props.taken.includes(found); number += 1) found = `${words} (${number})`
  return found
})
const complete = computed(() => whole.value.every((step) => step.kind !== 'retype' || step.to_type))
const needsPool = (kind: DrillKind) => ['shrink', 'grow', 'retype', 'stock'].includes(kind)
const types = computed(() => [...new Set([...pools.value.keys()].map((pool) => pool.split(' ')[0] ?? ''))])
</script>

<template>
  <form class="sentence" aria-label="a drill of one’s own" @submit.prevent="emit('keep', { name, steps: whole })">
    <p v-for="(step, place) in steps" :key="place" class="step">
      <template v-if="place">
        and then, after
        <NInputNumber v-model:value="step.wait" size="small" class="number" :min="0" :show-button="false" aria-label="minutes after" />
        min,
      </template>
      <OneOf
        v-model:value="step.kind"
        size="small"
        class="choice"
        :options="kinds"
        name="what happens"
        @update:value="((step.count = countFor(step.kind, step.pool)), (step.share = step.kind === 'even' ? 20 : 50))"
      />
      <OneOf
        v-if="step.kind === 'zone' || step.kind === 'stock'"
        v-model:value="step.zone"
        size="small"
        class="choice"
        :options="options(zones)"
        name="zone"
      />
      <OneOf
        v-if="needsPool(step.kind)"
        v-model:value="step.pool"
        size="small"
        class="choice"
        :options="options(pools.keys())"
        name="pool"
        @update:value="step.count = countFor(step.kind, step.pool)"
      />
      <NSelect
        v-if="step.kind === 'retype'"
        v-model:value="step.toType"
        size="small"
        class="choice"
        filterable
        tag
        :options="options(types.filter((type) => !step.pool.startsWith(`${type} `)))"
        :input-props="{ 'aria-label': 'new type' }"
      />
      <OneOf
        v-if="step.kind === 'dependency'"
        v-model:value="step.dependency"
        size="small"
        class="choice"
        :options="options(dependencies)"
        name="dependency"
      />
      <template v-if="['nodes', 'members', 'shrink', 'grow'].includes(step.kind)">
        {{ step.kind === 'shrink' || step.kind === 'grow' ? 'to' : '' }}
        <NInputNumber v-model:value="step.count" size="small" class="number" :min="0" :precision="0" aria-label="how many" />
      </template>
      <template v-if="step.kind === 'interruption' || step.kind === 'even'">
        <template v-if="step.kind === 'even'">until the fullest is at most</template>
        <NInputNumber v-model:value="step.share" size="small" class="number" :min="1" :max="100" aria-label="percent" /> %
        <template v-if="step.kind === 'even'">fuller than the emptiest</template>
      </template>
      <NCheckbox v-if="step.kind === 'version'" v-model:checked="step.alone">of the control plane alone</NCheckbox>
      <NButton v-if="place" size="tiny" quaternary :aria-label="`leave step ${place + 1} out`" @click="steps.splice(place, 1)">×</NButton>
    </p>
    <p class="ends">
      <NButton size="tiny" @click="steps.push(draft({ kind: 'nodes' }))">and then …</NButton>
      <NButton size="tiny" type="primary" attr-type="submit" :disabled="busy || !complete">Keep and play</NButton>
      <NButton size="tiny" quaternary @click="emit('close')">close</NButton>
    </p>
  </form>
</template>

<style scoped>
.sentence {
  border: 1px solid var(--line);
  background: var(--panel);
  padding: 8px;
  display: grid;
  gap: 6px;
}
.step {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
}
.choice {
  min-width: 120px;
  flex: 1;
}
.number {
  width: 80px;
}
.ends {
  display: flex;
  gap: 6px;
}
</style>
