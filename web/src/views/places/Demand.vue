<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, nextTick, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { BenchActions } from '../../api/bench'
import { Problem, type Bench } from '../../api/client'
import { useDemandActions, useIntakes } from '../../api/demand'
import { gibibytes, vcpus } from '../../domain/format'
import { useEscape } from '../../composables/useKeys'
import { GROUPS, keyAfter, sums, type Grouping } from '../../domain/sheet'
import FaultList from '../../ui/FaultList.vue'
import DemandSheet from './demand/DemandSheet.vue'
import GrowthView from './demand/GrowthView.vue'
import ImportPanel from './demand/ImportPanel.vue'
import IntakeList from './demand/IntakeList.vue'
import LevelsView from './demand/LevelsView.vue'
import RelationsView from './demand/RelationsView.vue'
import RowPanel from './demand/RowPanel.vue'
import RunningView from './demand/RunningView.vue'
import ScatterPanel from './demand/ScatterPanel.vue'
import UsageView from './demand/UsageView.vue'
import OneOf from '../../ui/OneOf.vue'

const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const route = useRoute()
const router = useRouter()
const demand = useDemandActions(
  computed(() => props.bench.study.id),
  () => props.actions.refit(),
)
const intakes = useIntakes()
const waiting = computed(
  () => (intakes.data.value ?? []).filter((entry) => entry.status === 'pending' && entry.study_id === props.bench.study.id).length,
)
const views = computed(() => ({
  sheet: 'Sheet',
  levels: 'Levels',
  use: 'Measured use',
  growth: 'Growth',
  running: 'Runs now',
  relations: 'What depends on what',
  intake: waiting.value ? `Intake (${waiting.value})` : 'Intake',
}))
const view = computed(() => (String(route.query.show ?? '') in views.value ? String(route.query.show) : 'sheet'))
const find = ref('')
const importing = ref(false)
const sheet = ref<InstanceType<typeof DemandSheet> | null>(null)
const grouping = ref<Grouping>('none')
/** Counts the edits that were taken, so that the sheet forgets what was typed. */
const saved = ref(0)
const chosen = computed(() => {
  const key = String(route.query.row ?? '')
  return props.bench.workloads.some((row) => row.key === key) ? key : null
})
const rows = computed(() => {
  const words = find.value.toLowerCase()
  return props.bench.workloads.filter((row) => `${row.namespace}/${row.name} ${row.owner} ${row.journey}`.toLowerCase().includes(words))
})
const level = computed(() => props.bench.variant.level)
const whole = computed(() => sums(rows.value, level.value))
const error = computed(() => props.actions.edit.error.value as Problem | null)
const faults = computed(() => (error.value?.faults ?? []).map((fault) => ({ ...fault, reason: `${label(fault.path)}${fault.reason}` })))
const groupings = GROUPS.map((value) => ({ value, label: value === 'none' ? 'no groups' : `by ${value}` }))

function label(path: string): string {
  const [key, column] = path.split('.')
  const row = props.bench.workloads.find((entry) => entry.key === key)
  return row ? `${row.namespace}/${row.name}, ${column}: ` : ''
}
function show(name: string): void {
  void router.replace({ query: { ...route.query, show: name === 'sheet' ? undefined : name } })
}
function choose(key: string | null): void {
  void router.replace({ query: { ...route.query, show: undefined, row: key ?? undefined } })
}
function send(edit: Partial<Parameters<typeof props.actions.edit.mutate>[0]>): void {
  props.actions.edit.mutate({ cells: {}, removed: [], copies: {}, after: {}, ...edit }, { onSuccess: () => (saved.value += 1) })
}
/** A new row comes after the one where one stands, and one stands on it then. */
function add(): void {
  let number = 1
  while (props.bench.workloads.some((row) => row.name === `workload-${number}`)) number += 1
  const stands = sheet.value?.standsOn() ?? chosen.value
  const before = props.bench.workloads.find((row) => row.key === stands)
  const key = before ? keyAfter(before.key) : crypto.randomUUID()
  const cells = {
    [key]: { namespace: before?.namespace ?? 'default', name: `workload-${number}`, cpu: '250m', memory: '512Mi', replicas: '2' },
  }
  send({ cells, after: before ? { [key]: before.key } : {} })
  void sheet.value?.stand(key)
}
/** Close what is open; where nothing is, leave the sheet for the views above it. */
function leave(): void {
  if (importing.value) importing.value = false
  else if (chosen.value) choose(null)
  else document.querySelector<HTMLButtonElement>('.views .here')?.focus()
}
useEscape(
  () => view.value === 'sheet' && (importing.value || chosen.value !== null),
  () => {
    leave()
    void nextTick(() => sheet.value?.focus())
  },
)
</script>

<template>
  <div class="demand">
    <nav class="views" aria-label="views of demand">
      <button
        v-for="(title, name) in views"
        :key="name"
        type="button"
        class="plain-button"
        :class="{ here: name === view }"
        :aria-current="name === view ? 'page' : undefined"
        @click="show(name)"
      >
        {{ title }}
      </button>
      <span class="grow" />
      <template v-if="view === 'sheet'">
        <NInput
          v-model:value="find"
          size="tiny"
          clearable
          placeholder="find a workload"
          :input-props="{ 'aria-label': 'find a workload' }"
        />
        <OneOf
          v-model:value="grouping"
          size="tiny"
          :options="groupings"
          :consistent-menu-width="false"
          class="groups"
          name="group the sheet"
        />
      </template>
      <template v-if="mayEdit">
        <NButton size="tiny" :disabled="!bench.edits.undo" :title="bench.edits.undo ?? ''" @click="actions.undo.mutate()">Undo</NButton>
        <NButton size="tiny" :disabled="!bench.edits.redo" :title="bench.edits.redo ?? ''" @click="actions.redo.mutate()">Redo</NButton>
        <template v-if="view === 'sheet'">
          <NButton size="tiny" @click="add">Add a row</NButton>
          <NButton size="tiny" type="primary" @click="importing = !importing">{{ importing ? 'Close import' : 'Import' }}</NButton>
        </template>
      </template>
    </nav>
    <LevelsView v-if="view === 'levels'" :bench="bench" :actions="actions" :demand="demand" :may-edit="mayEdit" @choose="choose" />
    <UsageView v-else-if="view === 'use'" :bench="bench" :demand="demand" :may-edit="mayEdit" />
    <GrowthView v-else-if="view === 'growth'" :bench="bench" :demand="demand" :may-edit="mayEdit" />
    <RelationsView
      v-else-if="view === 'relations'"
      :bench="bench"
      :chosen="chosen"
      @choose="(key) => router.replace({ query: { ...route.query, row: key } })"
    />
    <RunningView v-else-if="view === 'running'" :bench="bench" />
    <IntakeList v-else-if="view === 'intake'" :bench="bench" :demand="demand" :may-edit="mayEdit" />
    <template v-else>
      <ImportPanel v-if="importing" :actions="actions" :study="bench.study.id" @done="importing = false" />
      <FaultList v-if="error" :title="error.message" :faults="faults" />
      <p class="sums quiet">
        {{ rows.length }} workloads · {{ whole.replicas }} replicas at {{ level === 'grown' ? 'grown peak' : level }} ·
        {{ vcpus(whole.cpu) }} vCPU · {{ gibibytes(whole.memory) }} GiB requested<template v-if="rows.some((row) => row.sized)">
          · <span class="key">underlined: right-sized</span></template
        >
        · <a :href="`/api/studies/${bench.study.id}/demand.csv`" download="demand.csv">demand.csv</a>
      </p>
      <div v-if="bench.workloads.length" class="body" :class="{ alone: importing }">
        <DemandSheet
          ref="sheet"
          :rows="rows"
          :faults="error?.faults ?? []"
          :may-edit="mayEdit"
          :saved="saved"
          :grouping="grouping"
          :level="level"
          :chosen="chosen"
          @edit="send({ cells: $event })"
          @remove="send({ removed: [$event] })"
          @choose="choose"
          @leave="leave"
        />
        <RowPanel
          v-if="chosen && !importing"
          :variant="bench.variant.id"
          :chosen="chosen"
          :may-edit="mayEdit"
          :faults="error?.faults ?? []"
          @edit="send({ cells: $event })"
          @copies="(key, names) => send({ copies: { [key]: names } })"
          @give-back="demand.giveBack.mutate([$event])"
          @close="choose(null)"
        />
        <ScatterPanel
          v-else-if="!importing"
          :variant="bench.variant.id"
          :region="bench.variant.region_id ?? null"
          :rows="rows"
          :level="level"
          :chosen="chosen"
          @choose="choose"
        />
      </div>
      <p v-else class="quiet none">
        No workloads yet. Import manifests, a Compose file, a CSV or a cluster’s listing, or add a row; the demo study “Summer timetable”
        shows a full sheet.
      </p>
    </template>
  </div>
</template>

<style scoped>
.demand {
  height: 100%;
  display: flex;
  flex-direction: column;
  padding: 0 14px;
}
.views {
  display: flex;
  gap: 20px;
  align-items: center;
  height: 38px;
  flex: none;
  border-bottom: 1px solid var(--line);
}
.views > .plain-button {
  padding: 6px 0;
  font-weight: 560;
  color: var(--quiet);
  white-space: nowrap;
}
.views > .here {
  color: var(--ink);
  box-shadow: 0 2px 0 var(--madder);
}
.views :deep(.n-button) {
  margin-left: -12px;
}
.views :deep(.n-input) {
  width: 150px;
}
.groups {
  width: 116px;
  margin-left: -10px;
}
.grow {
  flex: 1;
}
.sums {
  padding: 5px 0;
  font-size: 12px;
}
.key {
  box-shadow: 0 2px 0 var(--petrol);
}
.body {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 340px;
  flex: 1;
  min-height: 0;
}
.alone {
  grid-template-columns: minmax(0, 1fr);
}
.none {
  padding: 40px;
}
</style>
