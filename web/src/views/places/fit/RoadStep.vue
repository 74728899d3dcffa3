<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import type { Bench, Road } from '../../../api/client'
import { exactMoney, money, percent, plural } from '../../../domain/format'
import { begunAt, hauls, soFar, stepsCsv } from '../../../domain/road'
import { save } from '../../../pictures/lanes/export'

/** What one step does, in the order to do it, and what is kept by stopping after it; before the first: what runs and breaks. */
const props = defineProps<{ road: Road; bench: Bench; chosen: number }>()
const step = computed(() => props.road.steps[props.chosen] ?? null)
const far = computed(() => soFar(props.road, props.chosen))
const begun = computed(() => begunAt(props.road) ?? 0)
const last = computed(() => props.chosen === props.road.steps.length - 1)
const inside = (share: number) => percent(share, 0)
</script>

<template>
  <section class="step">
    <template v-if="step">
      <h2>Step {{ chosen + 1 }}: {{ Number(step.saving) < 0 ? 'costs' : 'saves' }} {{ money(Math.abs(Number(step.saving))) }} {{ bench.study.currency }} a month</h2>
      <p>Stop here and a month costs <strong>{{ exactMoney(step.cost) }}</strong>: {{ money(far.saved) }} less than now, {{ percent(far.share, 0) }} of what all steps save, for {{ plural(far.moved, 'replica') }} moved.</p>
      <p v-for="rule in step.broken.slice(0, 6)" :key="rule" class="madder">{{ rule }}</p>
      <p v-if="!step.broken.length" class="quiet">Every rule holds after this step, checked anew.</p>
      <div v-if="step.new.length"><h3>1. add</h3><p v-for="node in step.new" :key="node.name">{{ node.name }} <span class="quiet">in {{ node.zone }}{{ node.purchase === 'on-demand' ? '' : `, ${node.purchase}` }}</span></p></div>
      <div v-if="step.moves.length"><h3>2. move</h3><p v-for="haul in hauls(step)" :key="haul.way">{{ haul.way }}<br><span class="quiet">{{ haul.loads.join(', ') }}</span></p></div>
      <div v-if="step.gone.length"><h3>3. remove</h3><p v-for="node in step.gone" :key="node.name">{{ node.name }} <span class="quiet">{{ node.instance_type }} in {{ node.zone }}</span></p></div>
    </template>
    <template v-else>
      <h2>What runs now</h2>
      <p><strong>{{ exactMoney(begun) }} {{ bench.study.currency }}</strong> a month at this variant’s prices.</p>
      <p v-if="road.unsold.length" class="madder">Not sold here, so not priced and emptied first: {{ road.unsold.join(', ') }}.</p>
      <div v-if="road.broken.length"><h3>{{ plural(road.broken.length, 'rule') }} broken today</h3><p v-for="rule in road.broken.slice(0, 14)" :key="rule" class="madder">{{ rule }}</p></div>
    </template>
    <p v-for="(count, name) in road.unplaced" :key="name" class="madder">{{ plural(count, 'replica') }} of {{ name }} found no place.</p>
    <div v-if="last && road.evenness.length === 2">
      <h3>evenness of nodes after the last step</h3>
      <p>CPU and memory taken together, nodes are {{ inside(road.evenness[0]!.least) }} to {{ inside(road.evenness[0]!.most) }} full, {{ percent(road.evenness[0]!.deviation) }} around the mean.</p>
      <template v-if="road.evening">
        <p>{{ plural(road.evening.moved, 'more move') }} at the same cost: {{ inside(road.evenness[1]!.least) }} to {{ inside(road.evenness[1]!.most) }}, {{ percent(road.evenness[1]!.deviation) }} around the mean.</p>
        <p v-for="haul in hauls(road.evening)" :key="haul.way">{{ haul.way }}<br><span class="quiet">{{ haul.loads.join(', ') }}</span></p>
      </template>
      <p v-else class="quiet">No single move would even them out further without breaking a rule.</p>
    </div>
    <div v-if="road.steps.length"><NButton size="tiny" @click="save(stepsCsv(road), 'steps.csv', 'text/csv')">All steps as CSV</NButton></div>
  </section>
</template>

<style scoped>
.step { display: grid; gap: 10px; min-width: 0; }
p { font-size: 12.5px; overflow-wrap: anywhere; }
h3 { margin-bottom: 3px; }
</style>
