<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import type { Bench, MigrationPlan } from '../../../api/client'
import { exactMoney, money, percent, plural } from '../../../domain/format'
import { begunAt, hauls, soFar, stepsCsv } from '../../../domain/migration'
import { save } from '../../../pictures/lanes/export'

/** What one step does, in the order to do it, and what is kept by stopping after it; before the first: what runs and breaks. */
const props = defineProps<{ migration: MigrationPlan; bench: Bench; chosen: number }>()
const step = computed(() => props.migration.steps[props.chosen] ?? null)
const far = computed(() => soFar(props.migration, props.chosen))
const begun = computed(() => begunAt(props.migration) ?? 0)
const last = computed(() => props.chosen === props.migration.steps.length - 1)
const inside = (share: number) => percent(share, 0)
</script>

<template>
  <section class="step">
    <template v-if="step">
      <h2>
        Step {{ chosen + 1 }}: {{ Number(step.saving) < 0 ? 'costs' : 'saves' }} {{ money(Math.abs(Number(step.saving))) }}
        {{ bench.study.currency }} a month
      </h2>
      <p>
        Stop here and a month costs <strong>{{ exactMoney(step.cost) }}</strong>: {{ money(far.saved) }} less than now,
        {{ percent(far.share, 0) }} of what all steps save, for {{ plural(far.moved, 'replica') }} moved.
      </p>
      <p v-for="rule in step.broken.slice(0, 6)" :key="rule" class="madder">{{ rule }}</p>
      <p v-if="!step.broken.length" class="quiet">Every rule holds after this step, checked anew.</p>
      <div v-if="step.new.length">
        <h3>1. add</h3>
        <p v-for="node in step.new" :key="node.name">
          {{ node.name }} <span class="quiet">in {{ node.zone }}{{ node.purchase === 'on-demand' ? '' : `, ${node.purchase}` }}</span>
        </p>
      </div>
      <div v-if="step.moves.length">
        <h3>2. move</h3>
        <p v-for="haul in hauls(step)" :key="haul.way">
          {{ haul.way }}<br /><span class="quiet">{{ haul.loads.join(', ') }}</span>
        </p>
      </div>
      <div v-if="step.gone.length">
        <h3>3. remove</h3>
        <p v-for="node in step.gone" :key="node.name">
          {{ node.name }} <span class="quiet">{{ node.instance_type }} in {{ node.zone }}</span>
        </p>
      </div>
    </template>
    <template v-else>
      <h2>What runs now</h2>
      <p>
        <strong>{{ exactMoney(begun) }} {{ bench.study.currency }}</strong> a month at this variant’s prices.
      </p>
      <p v-if="migration.unsold.length" class="madder">
        Not sold here, so not priced and emptied first: {{ migration.unsold.join(', ') }}.
      </p>
      <div v-if="migration.broken.length">
        <h3>{{ plural(migration.broken.length, 'rule') }} broken today</h3>
        <p v-for="rule in migration.broken.slice(0, 14)" :key="rule" class="madder">{{ rule }}</p>
      </div>
    </template>
    <p v-for="(count, name) in migration.unplaced" :key="name" class="madder">
      {{ plural(count, 'replica') }} of {{ name }} found no place.
    </p>
    <div v-if="last && migration.evenness.length === 2">
      <h3>evenness of nodes after the last step</h3>
      <p>
        CPU and memory taken together, nodes are {{ inside(migration.evenness[0]!.least) }} to
        {{ inside(migration.evenness[0]!.most) }} full, {{ percent(migration.evenness[0]!.deviation) }} around the mean.
      </p>
      <template v-if="migration.evening">
        <p>
          {{ plural(migration.evening.moved, 'more move') }} at the same cost: {{ inside(migration.evenness[1]!.least) }} to
          {{ inside(migration.evenness[1]!.most) }}, {{ percent(migration.evenness[1]!.deviation) }} around the mean.
        </p>
        <p v-for="haul in hauls(migration.evening)" :key="haul.way">
          {{ haul.way }}<br /><span class="quiet">{{ haul.loads.join(', ') }}</span>
        </p>
      </template>
      <p v-else class="quiet">No single move would even them out further without breaking a rule.</p>
    </div>
    <div v-if="migration.steps.length">
      <NButton size="tiny" @click="save(stepsCsv(migration), 'steps.csv', 'text/csv')">All steps as CSV</NButton>
    </div>
  </section>
</template>

<style scoped>
.step {
  display: grid;
  gap: 10px;
  min-width: 0;
}
p {
  font-size: 12.5px;
  overflow-wrap: anywhere;
}
h3 {
  margin-bottom: 3px;
}
</style>
