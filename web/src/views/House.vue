<script setup lang="ts">
import { NButton, NCheckbox, NInput, NInputNumber, NSelect, useMessage } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import type { HouseRules, Problem } from '../api/client'
import { useHouse, useStateRules } from '../api/house'
import { useSignedIn } from '../composables/useSignedIn'
import { day, gibibytes } from '../domain/format'
import { survivalWords } from '../domain/words'
import FaultList from '../ui/FaultList.vue'
import FigureTable from '../ui/FigureTable.vue'
import ReservationForm from './house/ReservationForm.vue'
import OneOf from '../ui/OneOf.vue'

/** The organisation's defaults and limits: a lead states them, everybody sees them. */
const message = useMessage()
const person = useSignedIn()
const house = useHouse()
const state = useStateRules()
const mayState = computed(() => person.data.value?.role === 'lead')
const draft = ref<HouseRules | null>(null)
watch(house.data, (rules) => rules && (draft.value = JSON.parse(JSON.stringify(rules)) as HouseRules), { immediate: true })
/** Failure figures changed and not stated yet, by name. */
const failures = ref<Record<string, unknown>>({})
const error = computed(() => state.error.value as Problem | null)
/** Each fault with the field it stands in, as the form names it. */
const faults = computed(() =>
  (error.value?.faults ?? []).map((fault) => ({
    ...fault,
    reason: `${fault.path
      .replace('reservation.', '')
      .replaceAll('_', ' ')
      .replace(/[.[\]]+/g, ' ')
      .replace(/ (\d+) /, (_, place) => `, step ${Number(place) + 1}, `)}: ${fault.reason}`,
  })),
)
const survivalOptions = Object.entries(survivalWords).map(([value, label]) => ({ value, label }))
const counts = [
  { name: 'fewest_nodes_per_pool', title: 'min nodes in a pool', text: '' },
  { name: 'most_pods_per_node', title: 'max pods on a node', text: '' },
  { name: 'most_pools', title: 'max pools', text: '' },
] as const
const KEPT = [
  { name: 'kept_answers', title: 'newest answers of a variant', words: 'older ones are thinned', least: 1, most: 1000 },
  { name: 'kept_days', title: 'days back, the last of each day', words: 'then of each month; signed plans stay', least: 0, most: 3650 },
] as const
/** An emptied field keeps what was stated: there is no rule that keeps everything. */
function keep(name: 'kept_answers' | 'kept_days', value: number | null): void {
  if (draft.value && value !== null) draft.value[name] = value
}
const lists = [
  { name: 'purchases', title: 'kinds of purchase', empty: 'all', known: () => ['on-demand', 'committed', 'interruptible'] },
  { name: 'families', title: 'families', empty: 'all', known: () => house.data.value?.known_families ?? [] },
  { name: 'regions', title: 'regions', empty: 'all', known: () => house.data.value?.known_regions ?? [] },
] as const
const options = (names: readonly string[]) => names.map((name) => ({ label: name, value: name }))
const kept = computed(() =>
  draft.value?.example.reduce((sum, step) => ({ cpu: sum.cpu + step.cpu_millicores, memory: sum.memory + step.memory_bytes }), {
    cpu: 0,
    memory: 0,
  }),
)

function open(rule: string, may: boolean): void {
  if (draft.value) draft.value.open_rules = may ? [...draft.value.open_rules, rule] : draft.value.open_rules.filter((name) => name !== rule)
}
function setFigure(change: Record<string, unknown>, kept: () => void): void {
  // An emptied field gives up what was typed here: the figure stays as the house has it.
  failures.value = Object.fromEntries(Object.entries({ ...failures.value, ...change }).filter(([, value]) => value !== null))
  for (const figure of draft.value?.figures ?? []) {
    const now = change[figure.name]
    if (now !== undefined) Object.assign(figure, typeof now === 'object' ? now : { value: now }, { origin: 'not stated yet', why: '' })
  }
  kept()
}
function save(): void {
  if (!draft.value) return
  const names = [
    'survive_zone',
    'fewest_nodes_per_pool',
    'most_pods_per_node',
    'most_pools',
    'control_plane_members',
    'purchases',
    'families',
    'regions',
    'required_labels',
    'architecture',
    'reservation',
    'sign_off_above',
    'currency',
    'open_rules',
    'intake_cpu',
    'intake_memory',
    'intake_per_replica',
    'care_accepted_by',
    'kept_answers',
    'kept_days',
  ] as const
  const body = Object.fromEntries(names.map((name) => [name, draft.value?.[name]]))
  state.mutate(
    { ...body, failures: failures.value, sign_off_above: draft.value.sign_off_above || null },
    { onSuccess: () => (failures.value = {}) && message.success('Stated. Studies say from now on where they leave these rules.') },
  )
}
</script>

<template>
  <main v-if="draft" class="house">
    <header>
      <h1>House rules</h1>
      <span class="quiet">{{
        draft.stated_by ? `stated by ${draft.stated_by}, ${day(draft.stated_at ?? '')}` : 'nothing is stated yet'
      }}</span>
      <span class="grow" />
      <NButton v-if="mayState" size="small" type="primary" :loading="state.isPending.value" @click="save">State these rules</NButton>
      <span v-else class="quiet">a lead states them</span>
      <RouterLink to="/">all studies</RouterLink>
    </header>
    <p class="quiet">
      Every new study starts with these. A study leaves a rule only where “studies may differ” is ticked, and says why; rules without a
      value bind nobody.
    </p>
    <FaultList v-if="error" :title="error.message" :faults="faults" />
    <div class="two">
      <section>
        <h2>Limits</h2>
        <div v-for="entry in counts" :key="entry.name" class="rule">
          <span
            >{{ entry.title }} <span class="quiet">{{ entry.text }}</span></span
          >
          <NInputNumber
            v-model:value="draft[entry.name]"
            size="small"
            :min="1"
            :max="10000"
            :precision="0"
            :show-button="false"
            clearable
            placeholder="no rule"
            :disabled="!mayState"
            :input-props="{ 'aria-label': entry.title }"
          />
          <NCheckbox :checked="draft.open_rules.includes(entry.name)" :disabled="!mayState" @update:checked="open(entry.name, $event)"
            >studies may differ</NCheckbox
          >
        </div>
        <div class="rule">
          <span>control plane members <span class="quiet">at least</span></span>
          <OneOf
            v-model:value="draft.control_plane_members"
            size="small"
            clearable
            placeholder="no rule"
            :options="[1, 3, 5].map((value) => ({ label: String(value), value }))"
            :disabled="!mayState"
            name="control plane members"
          />
          <NCheckbox
            :checked="draft.open_rules.includes('control_plane_members')"
            :disabled="!mayState"
            @update:checked="open('control_plane_members', $event)"
            >studies may differ</NCheckbox
          >
        </div>
        <div v-for="entry in lists" :key="entry.name" class="rule">
          <span>{{ entry.title }} <span class="quiet">only</span></span>
          <OneOf
            v-model:value="draft[entry.name]"
            size="small"
            multiple
            max-tag-count="responsive"
            :placeholder="entry.empty"
            :options="options(entry.known())"
            :disabled="!mayState"
            :name="entry.title"
          />
          <NCheckbox :checked="draft.open_rules.includes(entry.name)" :disabled="!mayState" @update:checked="open(entry.name, $event)"
            >studies may differ</NCheckbox
          >
        </div>
        <h2>Starts with, and asks for</h2>
        <div class="rule">
          <span>survives the loss of a zone</span>
          <OneOf
            v-model:value="draft.survive_zone"
            size="small"
            :options="survivalOptions"
            :disabled="!mayState"
            name="survives the loss of a zone"
          />
          <span class="quiet">a start, no limit</span>
        </div>
        <div class="rule">
          <span>labels every workload carries</span>
          <NSelect
            v-model:value="draft.required_labels"
            size="small"
            multiple
            filterable
            tag
            :show="false"
            placeholder="none"
            :disabled="!mayState"
            :input-props="{ 'aria-label': 'required labels' }"
          />
          <span class="quiet">lacking ones are named</span>
        </div>
        <div class="rule">
          <span>architecture where none is named</span>
          <NInput
            v-model:value="draft.architecture"
            size="small"
            placeholder="any"
            :disabled="!mayState"
            :input-props="{ 'aria-label': 'architecture where none is named' }"
          />
          <span class="quiet">a row may say it runs on every one</span>
        </div>
        <div class="rule">
          <span>a second lead signs above</span>
          <NInput
            v-model:value="draft.sign_off_above"
            size="small"
            clearable
            placeholder="never"
            :disabled="!mayState"
            :input-props="{ 'aria-label': 'a second lead signs above' }"
            ><template #suffix>{{ draft.currency }}</template></NInput
          >
          <span class="quiet">cost a month with fees</span>
        </div>
        <div class="rule">
          <span>accept what pre-flight finds risky</span>
          <OneOf
            v-model:value="draft.care_accepted_by"
            size="small"
            :options="[
              { label: 'planners and leads', value: 'planner' },
              { label: 'leads alone', value: 'lead' },
            ]"
            :disabled="!mayState"
            name="accept what pre-flight finds risky"
          />
          <span class="quiet">blockers are fixed, never accepted</span>
        </div>
        <h2>Keeps of what was computed</h2>
        <div v-for="entry in KEPT" :key="entry.name" class="rule">
          <span>{{ entry.title }}</span>
          <NInputNumber
            :value="draft[entry.name]"
            size="small"
            :min="entry.least"
            :max="entry.most"
            :precision="0"
            :show-button="false"
            :disabled="!mayState"
            :input-props="{ 'aria-label': entry.title }"
            @update:value="keep(entry.name, $event)"
          />
          <span class="quiet">{{ entry.words }}</span>
        </div>
        <h2>Fills in what a service owner does not know</h2>
        <div class="rule">
          <span>request of a replica <span class="quiet">CPU, memory</span></span>
          <span class="pair"
            ><NInput
              v-model:value="draft.intake_cpu"
              size="small"
              :disabled="!mayState"
              :input-props="{ 'aria-label': 'CPU of a replica' }" /><NInput
              v-model:value="draft.intake_memory"
              size="small"
              :disabled="!mayState"
              :input-props="{ 'aria-label': 'memory of a replica' }"
          /></span>
          <span class="quiet">at intake</span>
        </div>
        <div class="rule">
          <span>requests a second a replica bears</span>
          <NInputNumber
            v-model:value="draft.intake_per_replica"
            size="small"
            :min="0.001"
            :show-button="false"
            :disabled="!mayState"
            :input-props="{ 'aria-label': 'requests a second a replica bears' }"
          />
          <span class="quiet">at intake</span>
        </div>
      </section>
      <section>
        <h2>What every node keeps for itself</h2>
        <ReservationForm v-model="draft.reservation" :may-edit="mayState" />
        <p v-if="kept && house.data.value" class="quiet">
          By the rules stated, a node of 8 vCPU and 32 GiB keeps {{ (kept.cpu / 1000).toFixed(2) }} vCPU and
          {{ gibibytes(kept.memory) }} GiB: {{ draft.example.map((step) => step.name).join(', ') }}.
        </p>
      </section>
    </div>
    <section>
      <h2>How often things fail, and for how long</h2>
      <p class="quiet">Availability is computed from these; a study may state its own under Targets.</p>
      <FigureTable :figures="draft.figures" :may-edit="mayState" @set="setFigure" />
    </section>
  </main>
</template>

<style scoped>
.house {
  max-width: 1220px;
  margin: 0 auto;
  padding: 20px 26px;
  display: grid;
  gap: 14px;
}
header {
  display: flex;
  gap: 14px;
  align-items: baseline;
}
.grow {
  flex: 1;
}
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 6px;
}
.two {
  display: grid;
  grid-template-columns: 1.15fr 1fr;
  gap: 40px;
}
section {
  display: grid;
  gap: 8px;
  align-content: start;
}
.rule {
  display: grid;
  grid-template-columns: 1fr 190px 172px;
  gap: 14px;
  align-items: center;
  border-bottom: 1px solid var(--line);
  padding-bottom: 7px;
}
section h2:not(:first-child) {
  margin-top: 12px;
}
</style>
