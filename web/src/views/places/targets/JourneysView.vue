<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref, toRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useAvailability, useStatePromises, type Journey } from '../../../api/availability'
import type { Bench } from '../../../api/client'
import { useInquiry } from '../../../api/inquiries'
import { useEscape } from '../../../composables/useKeys'
import { felt, lasting } from '../../../domain/minutes'
import ChainPicture from '../../../pictures/chain/ChainPicture.vue'
import ReplicaZones from '../../../pictures/replicas/ReplicaZones.vue'
import Reason from '../../../ui/Reason.vue'
import JourneyForm from './JourneyForm.vue'
import JourneySide from './JourneySide.vue'

/** Journeys with their downtime budgets: what each hangs on, link by link, and what would help. */
const props = defineProps<{ bench: Bench; mayEdit: boolean }>()
const route = useRoute()
const router = useRouter()
const variant = toRef(() => props.bench.variant.id)
const answer = useAvailability(
  variant,
  toRef(() => props.bench.fit?.id ?? 0),
)
const all = computed(() => answer.data.value ?? null)
const journeys = computed(() => all.value?.journeys ?? [])
const journey = computed(() => journeys.value.find((entry) => entry.name === route.query.journey) ?? journeys.value[0] ?? null)
const link = computed(() => journey.value?.links.find((entry) => entry.name === route.query.link) ?? null)
const workloads = computed(() => journey.value?.links.filter((entry) => entry.kind === 'workload') ?? [])
const state = useStatePromises(toRef(() => props.bench.study.id))
const simulation = useInquiry(variant, 'simulation')
const editing = ref<'none' | 'new' | 'this'>('none')

useEscape(
  () => editing.value !== 'none' || link.value !== null,
  () => (editing.value === 'none' ? show({ link: undefined }) : (editing.value = 'none')),
)

function show(query: Record<string, string | undefined>): void {
  void router.replace({ query: { ...route.query, ...query } })
}
function fill(entry: Journey): number {
  return Math.min(100, (100 * entry.minutes_month) / Math.max(entry.minutes_month, entry.allowed_minutes))
}
function spare(entry: Journey): string {
  const left = entry.allowed_minutes - entry.minutes_month
  return !entry.stated ? 'no target stated' : left >= 0 ? `${felt(left)} left` : `${felt(left)} over`
}
const shared = computed(() =>
  journey.value ? Math.max(0, journey.value.minutes_month - journey.value.links.reduce((sum, entry) => sum + entry.minutes, 0)) : 0,
)
const derivation = computed(() => {
  const entry = journey.value
  if (!entry) return []
  return [
    `Down ${felt(entry.minutes_month)} of a month of 30 days, ${felt(entry.minutes_year)} of a year of 365: ${entry.percent} % available.`,
    `Evaluated jointly: every state of the zones with its share of time, in it every node lost or standing with the replicas it carries, then the replicas left; links in one state are multiplied, never their averages.`,
    entry.within_minutes > 0
      ? `Two nodes lost at once beside a zone are bounded, not enumerated: the exact figure lies at most ${felt(entry.within_minutes)} below this one.`
      : 'Exact.',
    `Target ${entry.target} %: ${felt(entry.allowed_minutes)} a month may be lost.`,
  ]
})
function linkLines(name: string): string[] {
  const entry = journey.value?.links.find((candidate) => candidate.name === name)
  if (!entry) return []
  if (entry.kind !== 'workload') return [`Alone it is down ${felt(entry.alone_minutes)} a month, ${entry.kind}; ${entry.why}.`]
  return [
    `${entry.needed} of ${entry.replicas} replicas must serve: ${entry.why}.`,
    `Lost with a node they serve again after ${lasting(entry.windows[0] ?? null)}, with a zone after ${lasting(entry.windows[1] ?? null)}: detection, eviction, placement and start-up.`,
    `Alone it is down ${felt(entry.alone_minutes)} a month; if it never failed the journey would lose ${felt(entry.minutes)} less.`,
  ]
}
</script>

<template>
  <div class="journeys">
    <aside class="list" aria-label="journeys">
      <h2>Journeys</h2>
      <button
        v-for="entry in journeys"
        :key="entry.name"
        type="button"
        class="plain-button journey"
        :class="{ chosen: entry.name === journey?.name, over: entry.stated && !entry.met }"
        :aria-pressed="entry.name === journey?.name"
        @click="show({ journey: entry.name, link: undefined })"
      >
        <strong>{{ entry.name }}</strong><span class="number">{{ entry.stated ? `${entry.target} %` : '—' }}</span>
        <span class="meter"><i :class="{ hot: entry.stated && !entry.met }" :style="{ width: `${fill(entry)}%` }" /></span>
        <span class="quiet">{{ entry.stated ? `of ${felt(entry.allowed_minutes)}` : `${felt(entry.minutes_month)} down` }}</span><span
          class="number"
          :class="entry.stated && !entry.met ? 'madder' : 'petrol'"
          >{{ spare(entry) }}</span
        >
      </button>
      <p v-for="fault in all?.faults" :key="fault.reason" class="madder">{{ fault.reason }} {{ fault.fix }}</p>
      <p v-if="all && !journeys.length && !all.faults.length" class="quiet">
        {{
          bench.fit
            ? 'No journey is stated, and no workload names one. State what users do, and what it needs.'
            : 'Journeys are read over a fit. Press f to compute one.'
        }}
      </p>
      <NButton v-if="mayEdit" size="small" @click="editing = editing === 'new' ? 'none' : 'new'">State a journey</NButton>
      <template v-if="all?.dependencies.length">
        <h3>Needed from outside</h3>
        <table>
          <tbody>
            <tr v-for="entry in all.dependencies" :key="entry.name">
              <th scope="row">{{ entry.name }}</th>
              <td class="quiet">{{ entry.reach }}{{ entry.zone ? ` ${entry.zone}` : '' }}</td>
              <td class="number">{{ entry.availability }} %</td>
            </tr>
          </tbody>
        </table>
      </template>
      <p class="quiet">
        <button type="button" class="plain-button link" @click="show({ show: 'figures' })">
          what fails, how often, and where that is from
        </button>
      </p>
    </aside>
    <section class="middle">
      <JourneyForm
        v-if="editing !== 'none'"
        :bench="bench"
        :journeys="journeys"
        :journey="editing === 'this' ? journey : null"
        :state="state"
        @done="editing = 'none'"
      />
      <template v-if="journey">
        <div class="head">
          <h2>{{ journey.name }}</h2>
          <Reason class="figure" :title="`Downtime of '${journey.name}'`" :lines="derivation"
            ><strong :class="{ madder: journey.stated && !journey.met }">{{ felt(journey.minutes_month) }} of downtime a month</strong>
            <span class="quiet"
              >· {{ journey.percent }} % ·
              {{ journey.stated ? `${felt(journey.allowed_minutes)} allowed by ${journey.target} %` : 'no target stated' }}</span
            ></Reason
          >
          <NButton v-if="mayEdit" size="tiny" @click="editing = editing === 'this' ? 'none' : 'this'">Change</NButton>
        </div>
        <div class="scroll" tabindex="0" role="region" aria-label="the chain, from left to right">
          <ChainPicture
            :journey="journey"
            :chosen="link?.name ?? null"
            @choose="show({ link: $event === link?.name ? undefined : $event })"
          />
        </div>
        <p class="quiet key">
          a diamond fills with what its link alone would save, above it in time a month; dashed: not ours<template v-if="shared > 0.005">
            · {{ felt(shared) }} are shared: lost zones and the region take several links together</template
          >
        </p>
        <div v-if="link" class="one">
          <strong>{{ link.name }}</strong>
          <p v-for="line in linkLines(link.name)" :key="line">{{ line }}</p>
        </div>
        <h3>replicas by zone, a block a node</h3>
        <div class="multiples">
          <Reason v-for="entry in workloads" :key="entry.name" class="plot" :title="entry.name" :lines="linkLines(entry.name)"
            ><ReplicaZones :link="entry" :chosen="entry.name === link?.name"
          /></Reason>
        </div>
      </template>
    </section>
    <JourneySide
      v-if="journey"
      class="side"
      :bench="bench"
      :journey="journey"
      :simulation="simulation.now.value"
      :may-edit="mayEdit"
      @ask="simulation.ask.mutate()"
      @stop="simulation.stop.mutate($event)"
    />
  </div>
</template>

<style scoped>
.journeys {
  display: grid;
  grid-template-columns: 258px minmax(420px, 1fr) 292px;
  height: 100%;
  min-height: 0;
}
.scroll {
  overflow-x: auto;
}
@media (max-width: 1100px) {
  .journeys {
    grid-template-columns: 230px minmax(420px, 1fr) 236px;
  }
}
.list {
  padding: 12px 14px;
  border-right: 1px solid var(--line);
  display: grid;
  gap: 8px;
  align-content: start;
  overflow: auto;
}
.journey {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 2px 8px;
  padding: 7px 8px;
  border: 1px solid var(--line);
  background: var(--panel);
  font-size: 12px;
}
.journey span {
  white-space: nowrap;
}
.journey strong {
  font-size: 13px;
}
.journey.chosen {
  box-shadow: inset 3px 0 0 var(--madder);
}
.journey:hover {
  background: var(--wash);
}
.meter {
  grid-column: 1 / -1;
  height: 4px;
  background: var(--line);
  display: block;
}
.meter i {
  display: block;
  height: 4px;
  background: var(--petrol);
}
.meter i.hot {
  background: var(--madder);
}
.petrol {
  color: var(--petrol);
}
.list p {
  font-size: 12px;
}
.list td,
.list th {
  overflow-wrap: anywhere;
}
.list td {
  padding: 2px 4px 2px 0;
  font-size: 12px;
}
.list td.number {
  white-space: nowrap;
}
.link {
  text-decoration: underline;
}
.middle {
  padding: 10px 16px;
  overflow: auto;
  min-width: 0;
  display: grid;
  grid-auto-rows: max-content;
  gap: 8px;
  align-content: start;
}
.head {
  display: flex;
  gap: 14px;
  align-items: baseline;
}
.head h2 {
  white-space: nowrap;
}
.head :deep(.figure) {
  width: auto;
}
.head :deep(.figure) span {
  margin-left: 5px;
}
.key {
  font-size: 12px;
}
.one {
  border-left: 3px solid var(--madder);
  padding-left: 10px;
  font-size: 12px;
  display: grid;
  gap: 2px;
}
.multiples {
  display: grid;
  align-items: start;
  grid-template-columns: repeat(auto-fill, minmax(126px, 1fr));
  gap: 8px;
}
.side {
  border-left: 1px solid var(--line);
  overflow: auto;
  padding: 12px 14px;
}
</style>
