<script setup lang="ts">
import { NButton, NInput, NInputNumber, NSelect } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { isPlan, underWay, type Bench, type Inquiry, type Problem, type Schemas } from '../../../api/client'
import type { Scenario } from '../../../api/rehearsal'
import { percent } from '../../../domain/format'
import FaultList from '../../../ui/FaultList.vue'
import InquiryLine from '../../../ui/InquiryLine.vue'
import OneOf from '../../../ui/OneOf.vue'

/** What is asked through time in a few words, what is commanded and what goes wrong; and the run beside which it is shown. */
const props = defineProps<{
  scenario: Scenario
  bench: Bench
  inquiry: Inquiry | null
  runs: Schemas['RehearsalRunOut'][]
  before: number
  error: Error | null
  mayEdit: boolean
}>()
const emit = defineEmits<{ play: [scenario: Scenario]; stop: [id: number]; before: [run: number] }>()
/** A copy that may be typed into; what the server gave is read only. */
const copied = () => JSON.parse(JSON.stringify(props.scenario)) as Scenario
const draft = ref<Scenario>(copied())
watch(
  () => props.scenario,
  () => (draft.value = copied()),
)
const faults = computed(() => (props.error && 'faults' in props.error ? (props.error as Problem).faults : []))
const zones = computed(() => (isPlan(props.bench.fit) ? props.bench.fit.zones : []))
const types = computed(() => [...new Set(isPlan(props.bench.fit) ? props.bench.fit.nodes.map((node) => node.instance_type) : [])])
const workloads = computed(() => props.bench.workloads.map((row) => `${row.namespace}/${row.name}`))
const options = (names: string[], none?: string) => [
  ...(none ? [{ value: '', label: none }] : []),
  ...names.map((name) => ({ value: name, label: name })),
]
const KINDS = [
  { value: 'zone', label: 'a zone is lost' },
  { value: 'stock', label: 'out of stock' },
  { value: 'interruptions', label: 'interruptions' },
]
const others = computed(() =>
  props.runs
    .filter((run) => run.late_share !== null)
    .map((run) => ({
      value: run.id,
      label: `${run.asked_at.slice(5, 16).replace('T', ' ')}: ${percent(run.late_share ?? 0, 2)} late`,
    })),
)
const WORDS = [
  ['day', 'from trough to peak in two swells'],
  ['steady', 'usual demand all the time'],
  ['measured', 'the study’s series, by weekday'],
  ['week to 60%', 'weekends lower'],
  ['ramp to 150% over 5 d', ''],
  ['growth 10% a week', ''],
  ['burst x3 at Fri 09:00 for 2 h', ''],
  ['x1.2 on bookings/*', 'some of the workloads alone'],
  ['events', 'the study’s planned events'],
]
const add = (words: string) => (draft.value.words = draft.value.words.trim() ? `${draft.value.words.trim()}, ${words}` : words)
function addBurst(): void {
  draft.value.bursts.push({ at: `${draft.value.start.slice(0, 11)}09:00`, workload: workloads.value[0] ?? '', count: 20, minutes: 120 })
}
function addOutage(): void {
  const outage = { kind: 'zone' as const, at: `${draft.value.start.slice(0, 11)}12:00`, minutes: 120, zone: zones.value[0] ?? '' }
  draft.value.outages.push({ ...outage, instance_type: '', per_hour: 0 })
}
</script>

<template>
  <form aria-label="what is rehearsed" @submit.prevent="emit('play', draft)">
    <h2>What is asked</h2>
    <NInput
      v-model:value="draft.words"
      type="textarea"
      size="small"
      :autosize="{ minRows: 2, maxRows: 6 }"
      :disabled="!mayEdit"
      :input-props="{ 'aria-label': 'demand through time, in words' }"
    />
    <details>
      <summary>words that are understood</summary>
      <ul class="words">
        <li v-for="[word, why] in WORDS" :key="word">
          <button type="button" class="plain-button link" :disabled="!mayEdit" @click="add(word ?? '')">{{ word }}</button>
          <span v-if="why" class="quiet"> {{ why }}</span>
        </li>
      </ul>
    </details>
    <p class="line">
      from <input v-model="draft.start" type="datetime-local" :disabled="!mayEdit" aria-label="start, UTC" />
      for
      <NInputNumber
        v-model:value="draft.days"
        size="tiny"
        class="days"
        :min="1"
        :max="92"
        :precision="0"
        :show-button="false"
        :disabled="!mayEdit"
        :input-props="{ 'aria-label': 'days' }"
      />
      days
    </p>
    <div v-for="(burst, place) in draft.bursts" :key="`b${place}`" class="happening">
      <NInputNumber
        v-model:value="burst.count"
        size="tiny"
        class="days"
        :min="1"
        :precision="0"
        :show-button="false"
        aria-label="replicas"
      />
      more of
      <NSelect
        v-model:value="burst.workload"
        size="tiny"
        class="name"
        filterable
        :options="options(workloads)"
        :input-props="{ 'aria-label': 'workload' }"
      />
      at <input v-model="burst.at" type="datetime-local" aria-label="time of the command, UTC" /> for
      <NInputNumber
        v-model:value="burst.minutes"
        size="tiny"
        class="days"
        :min="1"
        :precision="0"
        :show-button="false"
        aria-label="minutes"
      />
      min
      <NButton size="tiny" quaternary aria-label="leave this command out" @click="draft.bursts.splice(place, 1)">×</NButton>
    </div>
    <div v-for="(outage, place) in draft.outages" :key="`o${place}`" class="happening">
      <OneOf v-model:value="outage.kind" size="tiny" class="name" :options="KINDS" name="what goes wrong" />
      <OneOf
        v-if="outage.kind !== 'zone'"
        v-model:value="outage.instance_type"
        size="tiny"
        class="name"
        :options="options(types, 'all types')"
        name="instance type"
      />
      in
      <OneOf
        v-model:value="outage.zone"
        size="tiny"
        class="name"
        :options="options(zones, outage.kind === 'zone' ? undefined : 'all zones')"
        name="zone"
      />
      <template v-if="outage.kind === 'interruptions'">
        <NInputNumber
          v-model:value="outage.per_hour"
          size="tiny"
          class="days"
          :min="0"
          :show-button="false"
          aria-label="interruptions an hour"
        />
        an hour and node
      </template>
      at <input v-model="outage.at" type="datetime-local" aria-label="time, UTC" /> for
      <NInputNumber
        v-model:value="outage.minutes"
        size="tiny"
        class="days"
        :min="1"
        :precision="0"
        :show-button="false"
        aria-label="minutes"
      />
      min
      <NButton size="tiny" quaternary aria-label="leave this out" @click="draft.outages.splice(place, 1)">×</NButton>
    </div>
    <p v-if="mayEdit" class="line">
      <NButton size="tiny" quaternary @click="addBurst">+ command replicas</NButton>
      <NButton size="tiny" quaternary @click="addOutage">+ something goes wrong</NButton>
    </p>
    <FaultList v-if="faults.length" :faults="faults" />
    <p v-if="mayEdit" class="line">
      at most
      <NInputNumber
        v-model:value="draft.most_late_percent"
        size="tiny"
        class="days"
        :min="0"
        :max="100"
        :show-button="false"
        :input-props="{ 'aria-label': 'percent of the demand that may be late' }"
      />
      % of the demand may wait over a minute
    </p>
    <p v-if="mayEdit" class="line">
      <NButton size="small" type="primary" attr-type="submit" :disabled="!bench.fit_is_current || underWay(inquiry)">Play</NButton>
      <span v-if="!bench.fit_is_current" class="quiet">fit first: the plan is out of date</span>
    </p>
    <InquiryLine :inquiry="inquiry" :may-edit="mayEdit" doing="played" @ask="emit('play', draft)" @stop="emit('stop', $event)" />
    <p v-if="others.length > 1" class="line">
      beside
      <OneOf
        size="tiny"
        class="name"
        clearable
        placeholder="an earlier run"
        :value="before || null"
        :options="others"
        name="earlier run shown beside"
        @update:value="emit('before', $event ?? 0)"
      />
    </p>
  </form>
</template>

<style scoped>
.line,
.happening {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
  padding-top: 6px;
  font-size: 12px;
}
.happening {
  border-bottom: 1px solid var(--line);
  padding-bottom: 4px;
}
.days {
  width: 52px;
}
.name {
  flex: 1;
  min-width: 110px;
}
input[type='datetime-local'] {
  font: inherit;
  font-size: 12px;
  width: 156px;
  color: var(--ink);
  background: transparent;
  border: 0;
  border-bottom: 1px solid var(--line);
}
summary {
  cursor: pointer;
  font-size: 12px;
  padding-top: 4px;
}
.words {
  list-style: none;
  margin: 2px 0;
  padding: 0;
  font-size: 12px;
}
</style>
