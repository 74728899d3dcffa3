<script setup lang="ts">
import { NCheckbox, NInput, NInputNumber } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import type { BenchActions } from '../../../api/bench'
import { Problem, type Bench, isPlan } from '../../../api/client'
import { useHouse } from '../../../api/house'
import { day, exactMoney, ruleWords } from '../../../domain/format'
import FaultList from '../../../ui/FaultList.vue'
import FamilyRules from './FamilyRules.vue'
import HeadroomPart from './HeadroomPart.vue'
import PlaneTiers from './PlaneTiers.vue'
import WayPicture from './WayPicture.vue'
import OneOf from '../../../ui/OneOf.vue'

const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const house = useHouse()
const ways = [
  { name: 'none', title: 'No', text: 'Exactly the replicas asked for. What stood in a lost zone is gone until the zone is back.' },
  {
    name: 'standing',
    title: 'Spare replicas',
    text: 'More replicas run all the time, so that enough stand outside any one zone. Nothing has to move.',
  },
  {
    name: 'landing',
    title: 'Reserved room',
    text: 'Exactly the replicas asked for, and reserved room: a lost zone’s replicas go there and no running one moves.',
  },
  {
    name: 'growing',
    title: 'New nodes on loss',
    text: 'Exactly the replicas asked for. A lost zone’s replicas wait for new nodes elsewhere, inside quotas; nothing is paid before.',
  },
] as const
const limits = [
  { field: 'most_pools', title: 'max pools', text: 'A pool is an instance type that runs at least one node.' },
  { field: 'fewest_nodes_per_pool', title: 'min nodes in a pool', text: 'Three for production is common practice.' },
  { field: 'fewest_nodes_per_zone', title: 'min in a zone', text: 'Of a pool, in every zone where it runs.' },
  { field: 'most_pods_per_node', title: 'max pods on a node', text: 'Below the type’s own limit where the platform allows fewer.' },
] as const
type Field = (typeof limits)[number]['field']
const typed = ref<Record<Field, number | null>>({
  most_pools: null,
  fewest_nodes_per_pool: null,
  fewest_nodes_per_zone: null,
  most_pods_per_node: null,
})
const budget = ref('')
const lost = ref<number | null>(0)
const nodeWays = [
  { value: 'standing', label: 'spare replicas elsewhere' },
  { value: 'landing', label: 'reserved room' },
  { value: 'growing', label: 'new nodes on loss' },
]
const nodeWords = computed(
  () =>
    ({
      none: '',
      standing: 'Enough replicas stand on other nodes all the time.',
      landing: 'Room for everything on the lost nodes is kept free on others; many small nodes keep back less than few large ones.',
      growing: 'The same nodes are bought again, and nothing is paid before.',
    })[props.bench.variant.survive_nodes],
)
const error = computed(() => props.actions.change.error.value as Problem | null)
const faults = computed(() => error.value?.faults.filter((fault) => !fault.code.startsWith('house.')) ?? [])
const withFees = computed(() =>
  isPlan(props.bench.fit)
    ? {
        cost: Number(props.bench.fit.cost_per_month) + Number(props.bench.fees_per_month),
        floor: Number(props.bench.fit.floor_per_month) + Number(props.bench.fees_per_month),
      }
    : null,
)

// What was typed stays while it is refused; once it is taken, or left as it was, the fields show what stands.
watch(
  [() => props.bench.variant, error],
  ([variant, refused]) => {
    if (refused) return
    for (const limit of limits) typed.value[limit.field] = variant[limit.field]
    budget.value = variant.budget_per_month ?? ''
    lost.value = variant.lost_nodes
  },
  { immediate: true },
)

function set(field: Field): void {
  const sent = props.actions.change.variables.value?.[field]
  const isRefused = error.value !== null && sent === typed.value[field]
  if (typed.value[field] !== props.bench.variant[field] && !isRefused && !props.actions.change.isPending.value)
    props.actions.change.mutate({ [field]: typed.value[field] })
}
/** In a group of choices the arrows choose, as in every such group. */
function arrow(event: KeyboardEvent, from: string): void {
  const by = ({ ArrowRight: 1, ArrowDown: 1, ArrowLeft: -1, ArrowUp: -1 } as Record<string, number>)[event.key]
  if (!by || !props.mayEdit) return
  event.preventDefault()
  const place = (ways.findIndex((way) => way.name === from) + by + ways.length) % ways.length
  const group = (event.currentTarget as HTMLElement).parentElement
  group?.querySelectorAll<HTMLElement>('[role=radio]')[place]?.focus()
  const chosen = ways[place]
  if (chosen) props.actions.change.mutate({ survive_zone: chosen.name })
}
function setLost(): void {
  const count = lost.value ?? 0
  if (count !== props.bench.variant.lost_nodes) props.actions.change.mutate({ lost_nodes: count })
}
function setBudget(): void {
  const amount = budget.value.replace(/[\s\u202f]/g, '').replace(',', '.')
  if (amount !== (props.bench.variant.budget_per_month ?? '')) props.actions.change.mutate({ budget_per_month: amount || null })
}
function rule(field: Field): string {
  const asked = field === 'fewest_nodes_per_zone' ? null : house.data.value?.[field]
  return asked ? `house rule: at ${field.startsWith('most') ? 'most' : 'least'} ${asked}` : ''
}
</script>

<template>
  <div class="targets">
    <section class="wide">
      <h2>Survives the loss of any one zone</h2>
      <div class="ways" role="radiogroup" aria-label="survives the loss of any one zone">
        <button
          v-for="way in ways"
          :key="way.name"
          type="button"
          role="radio"
          :tabindex="bench.variant.survive_zone === way.name ? 0 : -1"
          class="plain-button way cut"
          :class="{ chosen: bench.variant.survive_zone === way.name }"
          :aria-checked="bench.variant.survive_zone === way.name"
          :disabled="!mayEdit"
          @keydown="arrow($event, way.name)"
          @click="actions.change.mutate({ survive_zone: way.name })"
        >
          <WayPicture :way="way.name" />
          <strong>{{ way.title }}</strong>
          <span>{{ way.text }}</span>
        </button>
      </div>
      <p class="quiet">
        <span class="key asked" /> replicas asked for <span class="key more" /> on top <span class="key kept" /> reserved room
        <span class="key new" /> new nodes; left before, right after the first zone is lost. A workload can be left out of the promise in
        the demand sheet.
      </p>
    </section>
    <section class="wide nodes">
      <h2>Survives the loss of any few nodes at once</h2>
      <label class="few">
        <NInputNumber
          v-model:value="lost"
          size="small"
          :min="0"
          :max="20"
          :precision="0"
          :show-button="false"
          :disabled="!mayEdit"
          :input-props="{ 'aria-label': 'nodes lost at once' }"
          @blur="setLost"
          @keydown.enter="setLost"
        />
        <span>{{ lost === 1 ? 'node' : 'nodes' }}, whichever they are; 0 promises nothing. Kept by</span>
        <OneOf
          :value="bench.variant.survive_nodes"
          size="small"
          :options="nodeWays"
          :disabled="!mayEdit || !bench.variant.lost_nodes"
          name="how lost nodes are survived"
          @update:value="actions.change.mutate({ survive_nodes: $event })"
        />
        <span class="quiet">{{ nodeWords }}</span>
      </label>
    </section>
    <section>
      <h2>Limits</h2>
      <label v-for="limit in limits" :key="limit.field">
        <span
          ><strong>{{ limit.title }}</strong>
          <span class="quiet"
            >{{ limit.text }} <em v-if="rule(limit.field)">{{ rule(limit.field) }}</em></span
          ></span
        >
        <NInputNumber
          v-model:value="typed[limit.field]"
          size="small"
          :min="1"
          :max="10000"
          :precision="0"
          :show-button="false"
          clearable
          :disabled="!mayEdit"
          placeholder="no limit"
          :input-props="{ 'aria-label': limit.title }"
          @blur="set(limit.field)"
          @clear="set(limit.field)"
          @keydown.enter="set(limit.field)"
        />
      </label>
      <NCheckbox :checked="bench.variant.equal_zones" :disabled="!mayEdit" @update:checked="actions.change.mutate({ equal_zones: $event })"
        >the same number of a pool’s nodes in every zone</NCheckbox
      >
      <HeadroomPart :bench="bench" :actions="actions" :may-edit="mayEdit" />
      <label>
        <span
          ><strong>budget ceiling a month</strong>
          <span class="quiet"
            >Nodes and control plane.
            <template v-if="withFees"
              >Now {{ exactMoney(withFees.cost) }}; no plan under {{ exactMoney(withFees.floor) }} keeps these promises.</template
            ></span
          ></span
        >
        <NInput
          v-model:value="budget"
          size="small"
          :disabled="!mayEdit"
          placeholder="no ceiling"
          :input-props="{ 'aria-label': 'budget ceiling a month' }"
          @blur="setBudget"
          @keydown.enter="setBudget"
          ><template #suffix>{{ bench.study.currency }}</template></NInput
        >
      </label>
      <FaultList v-if="faults.length" :faults="faults" :title="error?.message ?? ''" />
    </section>
    <section>
      <h2>Control plane</h2>
      <PlaneTiers
        :bench="bench"
        :may-edit="mayEdit"
        @members="actions.change.mutate({ control_plane_members: $event })"
        @tier="actions.change.mutate({ tier: $event })"
      />
      <h2 class="rules">Families</h2>
      <FamilyRules
        :bench="bench"
        :may-edit="mayEdit"
        @change="(rules, kept) => actions.change.mutate({ family_rules: rules }, { onSuccess: kept })"
      />
      <h2 class="rules">House rules <RouterLink to="/house">see them</RouterLink></h2>
      <table v-if="bench.deviations.length" class="deviations">
        <thead>
          <tr>
            <th>leaves the rule on</th>
            <th>rule</th>
            <th>here</th>
            <th>who and why</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="entry in bench.deviations" :key="entry.rule">
            <td>{{ ruleWords(entry.rule) }}</td>
            <td>{{ entry.asked }}</td>
            <td class="madder">{{ entry.chosen }}</td>
            <td>{{ entry.why ? `${entry.who}, ${day(entry.at ?? '')}: ${entry.why}` : 'chosen before the rule was stated' }}</td>
          </tr>
        </tbody>
      </table>
      <p v-else class="quiet">This variant keeps all of them.</p>
    </section>
  </div>
</template>

<style scoped>
.targets {
  padding: 14px 20px;
  display: grid;
  grid-template-columns: minmax(380px, 0.8fr) 1fr;
  gap: 18px 34px;
  align-content: start;
  overflow: auto;
  height: 100%;
}
.targets > section {
  display: grid;
  gap: 9px;
  align-content: start;
}
.wide {
  grid-column: 1 / -1;
}
.ways {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  gap: 12px;
}
.way {
  background: var(--panel);
  border: 1px solid var(--line);
  padding: 12px 16px;
  display: grid;
  gap: 5px;
  justify-items: start;
  align-content: start;
}
.way:hover {
  background: var(--wash);
}
.way.chosen {
  box-shadow: inset 0 4px 0 var(--madder);
}
.way.chosen strong::after {
  content: ' · chosen';
  color: var(--madder);
}
.key {
  display: inline-block;
  width: 10px;
  height: 10px;
  margin: 0 3px 0 10px;
}
.asked {
  background: var(--petrol);
}
.more {
  background: var(--amber);
}
.kept {
  background: var(--madderWash);
}
.new {
  background: none;
  border: 1px dashed var(--petrol);
}
label {
  display: grid;
  grid-template-columns: 1fr 130px;
  gap: 16px;
  align-items: center;
  border-bottom: 1px solid var(--line);
  padding-bottom: 7px;
}
.few {
  grid-template-columns: 64px auto 220px 1fr;
  border: 0;
  padding: 0;
}
em {
  color: var(--amber);
  font-style: normal;
}
.rules {
  margin-top: 8px;
}
.rules a {
  font-size: 12px;
  font-weight: 400;
  margin-left: 8px;
}
</style>
