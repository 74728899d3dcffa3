<script setup lang="ts">
import { computed, ref, toRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { isPlan, type Bench, type Inquiry } from '../../api/client'
import { useInquiry } from '../../api/inquiries'
import { useMoment, usePoolLimits, useRehearsalRun, useRehearsals, useScenario, type PoolLimit, type Scenario } from '../../api/rehearsal'
import { useKeys } from '../../composables/useKeys'
import { useSize } from '../../composables/useSize'
import { firstPool, fullestAt, momentAsLanes, offerName, shortTime, timeWords, withLimit } from '../../domain/rehearsal'
import DrillLanes from '../../pictures/drill/DrillLanes.vue'
import type { Limit } from '../../pictures/rehearsal/layout'
import { panelsOf } from '../../pictures/rehearsal/panels'
import RehearsalPanels from '../../pictures/rehearsal/RehearsalPanels.vue'
import DayTable from './rehearsal/DayTable.vue'
import FoundLimits from './rehearsal/FoundLimits.vue'
import LimitsSheet from './rehearsal/LimitsSheet.vue'
import PoolTable from './rehearsal/PoolTable.vue'
import RehearsalReadOut from './rehearsal/RehearsalReadOut.vue'
import ScenarioPanel from './rehearsal/ScenarioPanel.vue'
import OneOf from '../../ui/OneOf.vue'

/** What is rehearsed and the limits at the left, the run through time in the middle, what it showed at the right; the address carries run and moment. */
const props = defineProps<{ bench: Bench; inquiry: Inquiry | null; mayEdit: boolean }>()
const emit = defineEmits<{ ask: []; stop: [id: number] }>()
const route = useRoute()
const router = useRouter()
const middle = ref<HTMLElement | null>(null)
const size = useSize(middle)

const variant = computed(() => props.bench.variant.id)
const fit = computed(() => (isPlan(props.bench.fit) ? props.bench.fit : null))
const stated = useScenario(toRef(() => props.bench.study.id))
const limits = usePoolLimits(
  variant,
  computed(() => props.bench.fit?.id ?? 0),
)
const runs = useRehearsals(
  variant,
  computed(() => `${props.inquiry?.id ?? 0} ${props.inquiry?.status ?? ''}`),
)
/** The run that is shown: the one in the address, else the newest of which something is known. */
const chosen = computed(() => Number(route.query.run) || 0)
const known = computed(() => runs.data.value?.find((run) => run.late_share !== null)?.id ?? 0)
const newest = computed(() => (props.inquiry?.rehearsal?.outcome ? props.inquiry.id : known.value))
const shownId = computed(() => chosen.value || newest.value)
const own = useRehearsalRun(computed(() => (shownId.value === props.inquiry?.id ? 0 : shownId.value)))
const shown = computed(() => (shownId.value === props.inquiry?.id ? props.inquiry : (own.data.value ?? null)))
const outcome = computed(() => shown.value?.rehearsal?.outcome ?? null)
const before = useRehearsalRun(computed(() => Number(route.query.before) || 0))
const other = computed(() => before.data.value?.rehearsal?.outcome ?? null)

const span = ref<[number, number]>([0, 1])
watch(
  () => [outcome.value?.start_s, outcome.value?.reached_s] as const,
  ([, reached]) => (span.value = [0, reached ?? 1]),
  { immediate: true },
)
const pool = computed(() => {
  const named = outcome.value?.pools.findIndex((entry) => offerName(entry.offer) === route.query.pool) ?? -1
  return named >= 0 ? named : outcome.value ? firstPool(outcome.value) : -1
})
const pools = computed(() =>
  (outcome.value?.pools ?? []).map((entry) => ({ value: offerName(entry.offer), label: offerName(entry.offer) })),
)
const panels = computed(() => (outcome.value ? panelsOf(outcome.value, pool.value, other.value, props.bench.region?.currency ?? '') : []))

const at = computed(() => (route.query.moment === undefined ? null : Number(route.query.moment) || 0))
const standing = useMoment(shownId, at)
const lanes = computed(() => (standing.data.value ? momentAsLanes(standing.data.value) : null))

function set(query: Record<string, string | undefined>): void {
  void router.replace({ query: { ...route.query, ...query } })
}
/** Show a moment; where it lies outside the time that is shown, an hour on either side of it is. */
function show(seconds: number | null): void {
  if (seconds !== null && (seconds < span.value[0] || seconds > span.value[1]))
    span.value = [Math.max(0, seconds - 3600), Math.min(outcome.value?.reached_s ?? seconds, seconds + 3600)]
  set({ moment: seconds === null ? undefined : String(seconds) })
}
/** Play what is stated now; what else the address is to carry goes with it. */
function play(query: Record<string, string | undefined> = {}): void {
  set({ run: undefined, moment: undefined, ...query })
  emit('ask')
}
function keepScenario(scenario: Scenario): void {
  stated.keep.mutate(scenario, { onSuccess: () => play() })
}
function keepLimits(changed: PoolLimit[], again: boolean): void {
  const old = shownId.value
  limits.keep.mutate(changed, {
    onSuccess: () => {
      if (again) play({ before: old ? String(old) : undefined })
    },
  })
}
function dragLimit(name: Limit['name'], value: number): void {
  const entry = outcome.value?.pools[pool.value]
  const all = limits.limits.value?.limits
  if (entry && all) keepLimits(withLimit(all, entry, { [name]: value }), true)
}
const search = useInquiry(variant, 'limits')
useKeys((event) => {
  const sample = outcome.value?.sample_s
  if (!sample || event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement) return false
  const by = { ArrowRight: sample, ArrowLeft: -sample }[event.key]
  if (!by || at.value === null) return false
  show(Math.max(0, Math.min(outcome.value?.reached_s ?? 0, at.value + by)))
  return true
})
</script>

<template>
  <div class="rehearsal">
    <aside class="left" tabindex="0" aria-label="what is rehearsed">
      <ScenarioPanel
        v-if="stated.scenario.value"
        :scenario="stated.scenario.value"
        :bench="bench"
        :inquiry="inquiry"
        :runs="runs.data.value ?? []"
        :before="Number(route.query.before) || 0"
        :error="stated.keep.error.value"
        :may-edit="mayEdit"
        @play="keepScenario"
        @stop="emit('stop', $event)"
        @before="set({ before: $event ? String($event) : undefined })"
      />
      <LimitsSheet
        v-if="limits.limits.value"
        :limits="limits.limits.value.limits"
        :origin="limits.limits.value.origin"
        :error="limits.keep.error.value"
        :may-edit="mayEdit"
        @keep="keepLimits($event, true)"
        @give-up="keepLimits([], false)"
      />
    </aside>
    <section class="middle">
      <div class="moments" role="group" aria-label="moments worth a look">
        <template v-if="outcome">
          <span class="chips">
            <button
              v-for="entry in outcome.moments"
              :key="`${entry.at_s} ${entry.words}`"
              type="button"
              class="plain-button chip"
              :title="`${timeWords(outcome.start_s, entry.at_s)}: ${entry.words}`"
              @click="show(entry.at_s)"
            >
              <span class="quiet when">{{ shortTime(outcome.start_s, entry.at_s) }}</span> {{ entry.words }}
            </button>
            <span v-if="!outcome.moments.length" class="quiet">No replica waited long and nothing was lost.</span>
          </span>
          <OneOf
            size="tiny"
            class="pool"
            :value="pools[pool]?.value"
            :options="pools"
            name="pool whose nodes are shown"
            @update:value="set({ pool: $event })"
          />
        </template>
      </div>
      <div ref="middle" class="canvas">
        <RehearsalPanels
          v-if="outcome"
          v-model:span="span"
          :panels="panels"
          :start-s="outcome.start_s"
          :sample-s="outcome.sample_s"
          :samples="outcome.waiting.length"
          :moment="at"
          :may-edit="mayEdit && !chosen"
          :width="size.width.value"
          :height="size.height.value"
          @moment="show"
          @limit="dragLimit"
        />
        <p v-else class="quiet empty">
          {{
            fit
              ? 'Demand is played through time against the limits of the pools, with the time that nodes really take to start. State what is asked at the left, then play it.'
              : 'There is no fit to rehearse yet.'
          }}
        </p>
      </div>
      <p v-if="outcome" class="quiet hint">drag across to zoom, double click for all of it · click a moment to see what stands then</p>
      <div v-if="at !== null && outcome" class="standing">
        <p>
          <strong>{{ timeWords(outcome.start_s, at) }}</strong>
          <button type="button" class="plain-button quiet" aria-label="close the moment" @click="show(null)">×</button>
        </p>
        <DrillLanes
          v-if="lanes && fit"
          :moment="lanes"
          :fullest="fullestAt(lanes)"
          :zones="fit.zones"
          :width="size.width.value"
          :height="288"
        />
        <p v-else class="quiet">It is played again up to this moment.</p>
      </div>
      <template v-else-if="outcome">
        <DayTable :outcome="outcome" :currency="bench.region?.currency ?? ''" />
        <PoolTable :outcome="outcome" :currency="bench.region?.currency ?? ''" />
      </template>
    </section>
    <aside class="right" tabindex="0" aria-label="what the rehearsal showed">
      <RehearsalReadOut
        v-if="outcome && shown?.rehearsal"
        :rehearsed="shown.rehearsal"
        :outcome="outcome"
        :other="other"
        :scenario="stated.scenario.value"
        :current="shown.is_current && !chosen"
        :currency="bench.region?.currency ?? ''"
        @moment="show"
      />
      <FoundLimits
        v-if="fit"
        :inquiry="search.now.value"
        :promise="stated.scenario.value?.most_late_percent ?? 0"
        :currency="bench.region?.currency ?? ''"
        :may-edit="mayEdit && bench.fit_is_current"
        @ask="search.ask.mutate()"
        @stop="search.stop.mutate($event)"
        @take="keepLimits($event, true)"
      />
    </aside>
  </div>
</template>

<style scoped>
.rehearsal {
  display: grid;
  grid-template-columns: minmax(250px, 280px) minmax(0, 1fr) minmax(250px, 290px);
  height: 100%;
}
.left,
.right {
  overflow: auto;
  padding: 10px 14px;
}
.middle {
  display: grid;
  grid-template-rows: auto minmax(180px, 1fr) auto auto auto;
  grid-template-columns: minmax(0, 1fr);
  min-height: 0;
  min-width: 0;
  padding: 6px 8px;
  border-left: 1px solid var(--line);
  border-right: 1px solid var(--line);
}
.moments {
  display: flex;
  gap: 6px;
  align-items: center;
  padding-bottom: 4px;
  min-height: 28px;
}
.chips {
  display: flex;
  flex: 1;
  gap: 5px;
  min-width: 0;
}
.chip {
  border: 1px solid var(--line);
  padding: 1px 6px;
  font-size: 12px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  text-align: left;
  flex: 0 1 auto;
  min-width: 70px;
}
.when {
  display: block;
  font-size: 11px;
}
.chip:hover {
  background: var(--wash);
}
.pool {
  width: 150px;
  flex: none;
}
.canvas {
  min-height: 0;
  overflow: hidden;
}
.hint {
  font-size: 11px;
}
.standing {
  border-top: 1px solid var(--line);
}
.empty {
  padding: 40px;
}
</style>
