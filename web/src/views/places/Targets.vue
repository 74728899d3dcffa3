<script setup lang="ts">
import { NInputNumber } from 'naive-ui'
import { ref, watch } from 'vue'
import type { BenchActions } from '../../api/bench'
import { Problem, type Bench } from '../../api/client'
import FaultList from '../../ui/FaultList.vue'

const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
type Way = 'none' | 'standing' | 'landing'
const ways: { name: Way; title: string; text: string; rombs: [number, number, number][] }[] = [
  { name: 'none', title: 'No', text: 'Exactly the replicas asked for. What stood in a lost zone is gone until the zone is back.', rombs: [[1, 0, 0], [1, 0, 0], [1, 0, 0]] },
  { name: 'standing', title: 'Standing', text: 'More replicas run all the time, so that enough stand outside any one zone. Nothing has to move.', rombs: [[0.66, 0, 0.33], [0.66, 0, 0.33], [0.66, 0, 0.33]] },
  { name: 'landing', title: 'Landing', text: 'Exactly the replicas asked for, and room kept back: a lost zone’s replicas land there and no running one moves.', rombs: [[0.66, 0.33, 0], [0.66, 0.33, 0], [0.66, 0.33, 0]] },
]
const limits = [
  { field: 'most_pools', title: 'most pools', text: 'A pool is an instance type that runs at least one node.' },
  { field: 'fewest_nodes_per_pool', title: 'fewest nodes in a pool', text: 'Three for production is common practice.' },
  { field: 'most_pods_per_node', title: 'most pods on a node', text: 'Below the type’s own limit where the platform allows fewer.' },
] as const
type Field = (typeof limits)[number]['field']
const typed = ref<Record<Field, number | null>>({ most_pools: null, fewest_nodes_per_pool: null, most_pods_per_node: null })
watch(() => props.bench.variant, (variant) => {
  typed.value = { most_pools: variant.most_pools, fewest_nodes_per_pool: variant.fewest_nodes_per_pool, most_pods_per_node: variant.most_pods_per_node }
}, { immediate: true })

function set(field: Field): void {
  if (typed.value[field] !== props.bench.variant[field]) props.actions.change.mutate({ [field]: typed.value[field] })
}
</script>

<template>
  <div class="targets">
    <section>
      <h2>Survives the loss of any one zone</h2>
      <div class="ways" role="radiogroup" aria-label="survives the loss of any one zone">
        <button v-for="way in ways" :key="way.name" type="button" role="radio" class="plain-button way cut" :class="{ chosen: bench.variant.survive_zone === way.name }" :aria-checked="bench.variant.survive_zone === way.name" :disabled="!mayEdit" @click="actions.change.mutate({ survive_zone: way.name })">
          <svg viewBox="0 0 180 74" width="180" height="74" aria-hidden="true">
            <g v-for="(romb, place) in way.rombs" :key="place" :transform="`translate(${14 + place * 58} 6)`">
              <clipPath :id="`way-${way.name}-${place}`"><path d="M19 0L38 31 19 62 0 31z" /></clipPath>
              <g :clip-path="`url(#way-${way.name}-${place})`">
                <rect width="38" height="62" class="ground" />
                <rect width="38" :y="62 - 62 * romb[0]" :height="62 * romb[0]" class="asked" />
                <rect width="38" :y="62 - 62 * (romb[0] + romb[2])" :height="62 * romb[2]" class="more" />
                <rect width="38" :y="62 - 62 * (romb[0] + romb[1])" :height="62 * romb[1]" class="kept" />
              </g>
              <path d="M19 0L38 31 19 62 0 31z" class="edge" />
            </g>
          </svg>
          <strong>{{ way.title }}</strong>
          <span>{{ way.text }}</span>
        </button>
      </div>
      <p class="quiet">Blue: replicas asked for. Ochre: replicas on top. Pale red: room kept back. A workload can be left out of the promise in the demand sheet.</p>
    </section>
    <section class="limits">
      <h2>Limits</h2>
      <label v-for="limit in limits" :key="limit.field">
        <span><strong>{{ limit.title }}</strong> <span class="quiet">{{ limit.text }}</span></span>
        <NInputNumber v-model:value="typed[limit.field]" :min="1" :max="10000" :precision="0" :show-button="false" clearable :disabled="!mayEdit" placeholder="no limit" :input-props="{ 'aria-label': limit.title }" @blur="set(limit.field)" @clear="set(limit.field)" @keydown.enter="set(limit.field)" />
      </label>
      <FaultList v-if="actions.change.error.value" :faults="(actions.change.error.value as Problem).faults ?? []" :title="actions.change.error.value.message" />
    </section>
  </div>
</template>

<style scoped>
.targets { padding: 18px 22px; display: grid; gap: 26px; align-content: start; overflow: auto; height: 100%; max-width: 1180px; }
.ways { display: grid; grid-template-columns: repeat(3, 1fr); gap: 14px; margin: 10px 0; }
.way { background: var(--panel); border: 1px solid var(--line); padding: 16px; display: grid; gap: 8px; justify-items: start; align-content: start; }
.way:hover { background: var(--wash); }
.way.chosen { box-shadow: inset 0 4px 0 var(--madder); }
.way.chosen strong::after { content: " · chosen"; color: var(--madder); }
.ground { fill: var(--paper); } .asked { fill: var(--petrol); } .more { fill: var(--amber); } .kept { fill: var(--madderWash); }
.edge { fill: none; stroke: var(--ink); }
.limits { display: grid; gap: 12px; max-width: 620px; }
label { display: grid; grid-template-columns: 1fr 130px; gap: 20px; align-items: center; border-bottom: 1px solid var(--line); padding-bottom: 8px; }
</style>
