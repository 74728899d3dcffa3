<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import { underWay, type Bench, type Inquiry, type MigrationPlan, type Step, isPlan } from '../../../api/client'
import type { CostOfChange } from '../../../api/inquiries'
import { useSize } from '../../../composables/useSize'
import { money, plural } from '../../../domain/format'
import { begunAt } from '../../../domain/migration'
import MigrationPicture from '../../../pictures/migration/MigrationPicture.vue'
import InquiryLine from '../../../ui/InquiryLine.vue'

/** From what runs: the staircase of steps, and the list to read them in order; asked for with what a step must be worth. */
const props = defineProps<{ bench: Bench; inquiry: Inquiry | null; migration: MigrationPlan | null; mayEdit: boolean; chosen: number }>()
const costOfChange = defineModel<CostOfChange>('costOfChange', { required: true })
const emit = defineEmits<{ ask: []; stop: [id: number]; choose: [place: number] }>()
const box = ref<HTMLElement | null>(null)
const size = useSize(box)
const begun = computed(() => (props.migration ? begunAt(props.migration) : null))
const fit = computed(() => (isPlan(props.bench.fit) && props.bench.fit_is_current ? props.bench.fit : null))
const marks = computed(() =>
  fit.value
    ? [
        { words: 'the fit from nothing', cost: Number(fit.value.cost_per_month) },
        { words: 'floor', cost: Number(fit.value.floor_per_month) },
      ]
    : [],
)
const wrong = computed(() => Object.values(costOfChange.value).some((text) => !/^\d{1,6}(\.\d{1,2})?$/.test(text)))
const busy = computed(() => underWay(props.inquiry))

/** What a step brings, by type; the first steps also say how many broken rules they fix. */
function told(step: Step, place: number): string {
  const before = (place ? props.migration?.steps[place - 1]?.broken : props.migration?.broken) ?? []
  const fixed = before.length - step.broken.length
  const counts = new Map<string, number>()
  for (const node of step.new) counts.set(node.instance_type, (counts.get(node.instance_type) ?? 0) + 1)
  const words = [...counts].map(([name, count]) => (count > 1 ? `${count} × ${name}` : name))
  return [...(fixed > 0 ? [`fixes ${plural(fixed, 'broken rule')}`] : []), ...words].join(', ')
}
</script>

<template>
  <div class="migration-place">
    <form class="ask" @submit.prevent="emit('ask')">
      <template v-if="mayEdit">
        <label
          >Worth it from
          <NInput
            v-model:value="costOfChange.per_move"
            size="tiny"
            :status="wrong ? 'error' : undefined"
            :input-props="{ 'aria-label': 'saving for each replica moved' }"
          />
          for a replica moved</label
        >
        <label
          >and
          <NInput
            v-model:value="costOfChange.per_node"
            size="tiny"
            :status="wrong ? 'error' : undefined"
            :input-props="{ 'aria-label': 'saving for each new node' }"
          />
          for a new node, {{ bench.study.currency }} a month</label
        >
        <NButton size="tiny" attr-type="submit" :disabled="wrong || busy">{{ migration ? 'Look again' : 'Find the steps' }}</NButton>
        <span v-if="wrong" class="madder">Amounts from 0 to 999999, with at most two decimals.</span>
      </template>
      <InquiryLine :inquiry="inquiry" :may-edit="mayEdit" doing="looking for" @stop="emit('stop', $event)" @ask="emit('ask')" />
      <span v-if="migration && inquiry && !inquiry.is_current && !busy" class="madder">The study was edited after these steps.</span>
    </form>
    <div ref="box" class="picture">
      <MigrationPicture
        v-if="migration && begun !== null"
        :begun="begun"
        :steps="migration.steps"
        :marks="marks"
        :chosen="chosen"
        :currency="bench.study.currency"
        :width="size.width.value"
        :height="size.height.value"
        @choose="emit('choose', $event)"
      />
      <p v-else-if="!busy" class="quiet">
        Starts from the listed cluster and its replicas: first what is missing gets a place, then step by step less is paid. Every state on
        the way keeps every rule, so you may stop after any step.
      </p>
    </div>
    <div class="list">
      <table v-if="migration?.steps.length">
        <thead>
          <tr>
            <th>step</th>
            <th class="number">saves</th>
            <th class="number">then costs</th>
            <th class="number">moves</th>
            <th>new nodes</th>
            <th>nodes that go</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(step, place) in migration.steps" :key="place" :class="{ now: place === chosen, past: place < chosen }">
            <td>
              <button type="button" class="plain-button" :aria-pressed="place === chosen" @click="emit('choose', place)">
                {{ place + 1 }}
              </button>
            </td>
            <td class="number" :class="{ madder: Number(step.saving) < 0 }">{{ money(step.saving) }}</td>
            <td class="number">{{ money(step.cost) }}</td>
            <td class="number">{{ step.moved }}</td>
            <td>{{ told(step, place) }}</td>
            <td :title="step.gone.map((node) => node.name).join(', ')">
              {{ step.gone.length ? plural(step.gone.length, 'node') : 'none'
              }}<template v-if="step.broken.length">
                · <span class="madder">{{ plural(step.broken.length, 'rule') }} broken</span></template
              >
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped>
.migration-place {
  display: grid;
  grid-template-rows: auto minmax(180px, 46%) minmax(0, 1fr);
  gap: 6px;
  height: 100%;
  min-height: 0;
}
.ask {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: center;
  font-size: 12.5px;
  padding: 4px;
  min-height: 32px;
}
.ask label {
  display: inline-flex;
  gap: 5px;
  align-items: center;
}
.ask :deep(.n-input) {
  width: 56px;
}
.picture {
  min-height: 0;
  overflow: hidden;
}
.picture p {
  padding: 24px;
  max-width: 460px;
}
.list {
  overflow: auto;
  min-height: 0;
}
td {
  padding: 2px 6px;
  font-size: 12.5px;
}
td button {
  width: 100%;
  font-weight: 600;
}
thead th {
  position: sticky;
  top: 0;
  background: var(--paper);
}
tr.now {
  background: var(--wash);
  box-shadow: inset 3px 0 0 var(--madder);
}
</style>
