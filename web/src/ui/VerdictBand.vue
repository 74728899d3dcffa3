<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import type { Journey } from '../api/availability'
import { isPlan, type Bench, lacksPlan } from '../api/client'
import { exactMoney, gapWords, money, percent, plural, proofWords, resourceWord } from '../domain/format'
import { felt } from '../domain/minutes'
import { findingWords, survivalWords } from '../domain/words'
import Reason from './Reason.vue'
import VariantMenu from './VariantMenu.vue'
import RombMark from './RombMark.vue'

const props = defineProps<{
  bench: Bench
  hardest: Journey | null
  marks: string[]
  mayEdit: boolean
  busy: boolean
}>()
const emit = defineEmits<{ variant: [id: number]; fit: []; home: []; place: [link: string] }>()

const fit = computed(() => (isPlan(props.bench.fit) ? props.bench.fit : null))
const variants = computed(() => props.bench.study.variants)
const place = computed(() => variants.value.findIndex((entry) => entry.id === props.bench.variant.id))
const late = computed(() => props.bench.fit !== null && !props.bench.fit_is_current)
const scarce = computed(() => {
  const room = fit.value?.room_left ?? {}
  return (room.cpu_millicores ?? 1) <= (room.memory_bytes ?? 1) ? 'cpu_millicores' : 'memory_bytes'
})
const left = computed(() => fit.value?.room_left[scarce.value] ?? 0)
const ways: Record<string, string> = {
  none: 'a lost zone is not survived',
  standing: 'kept: spare replicas already run elsewhere',
  landing: 'kept: lost replicas go into reserved room',
  growing: 'kept: lost replicas wait for new nodes in the other zones',
}
const stops = computed(() => [
  ...props.bench.faults.map((entry) => `${entry.reason} ${entry.fix}`),
  ...(lacksPlan(props.bench.fit) && !late.value ? (props.bench.fit?.reasons ?? []) : []),
  ...props.bench.findings.filter((entry) => entry.level === 'stop').map((entry) => `${entry.text}.`),
])
const others = computed(() => props.bench.findings.filter((entry) => entry.level !== 'stop' && !entry.accepted))
const findingLines = computed(() => [
  ...stops.value.map((text) => `blocker: ${text}`),
  ...others.value.map((entry) => `${findingWords[entry.level]}: ${entry.text}.`),
])
/** Where each finding is looked at: the row that it names, or its place. */
const findingLinks = computed(() => [
  ...stops.value.map((text) => linkOf(text, null)),
  ...others.value.map((entry) => linkOf(entry.text, entry.place)),
])
function linkOf(text: string, place: string | null): string | null {
  const names: string[] = text.match(/[\w.-]+\/[\w.-]+/g) ?? []
  const row = props.bench.workloads.find((entry) => names.includes(`${entry.namespace}/${entry.name}`))
  if (row && (place === null || place === 'demand')) return `demand?row=${row.key}`
  return place
}
const lacking = computed(() =>
  props.bench.fit && lacksPlan(props.bench.fit)
    ? props.bench.fit.status === 'infeasible'
      ? 'none is possible'
      : 'none was found'
    : 'no fit yet',
)
const counts = computed(() =>
  (['care', 'note'] as const)
    .map((level) => [others.value.filter((entry) => entry.level === level).length, level] as const)
    .filter(([count]) => count)
    .map(([count, level]) => plural(count, findingWords[level]))
    .join(', '),
)
/** What the drills of the book showed, summed up. */
const drilled = computed(() =>
  ['held', 'strained', 'broken']
    .map((mark) => [props.marks.filter((entry) => entry === mark).length, mark] as const)
    .filter(([count]) => count)
    .map(([count, mark]) => `${count} ${mark}`)
    .join(', '),
)
const worst = computed(() => drilled.value.split(', ').at(-1))
const exceptions = computed(() => fit.value?.left_out.length ?? 0)
const fees = computed(() => Number(props.bench.fees_per_month))
/** The whole bill: nodes with what they bring along, and what is paid beside them. */
const whole = computed(() => Number(fit.value?.cost_per_month ?? 0) + fees.value)
const ceiling = computed(() => (props.bench.variant.budget_per_month === null ? null : Number(props.bench.variant.budget_per_month)))
const costLines = computed(() =>
  fit.value
    ? [
        `${fit.value.cost_per_hour} ${fit.value.currency} an hour × 730 hours = ${exactMoney(fit.value.cost_per_month)} ${fit.value.currency} a month.`,
        `No answer that keeps these promises costs less than ${exactMoney(fit.value.floor_per_month)} ${fit.value.currency}: the floor. ${proofWords(fit.value)}`,
        `Distance: ${exactMoney(Number(fit.value.cost_per_month) - Number(fit.value.floor_per_month))} ${fit.value.currency}.`,
        ...(fees.value
          ? [`Control plane, zones and the study’s own fees add ${exactMoney(fees.value)} ${fit.value.currency}: see the ledger.`]
          : []),
        ...(ceiling.value ? [`Ceiling: ${exactMoney(ceiling.value)} ${fit.value.currency}, for the whole bill.`] : []),
      ]
    : ['There is no fit yet.'],
)

const availabilityLines = computed(() => {
  const journey = props.hardest
  if (!journey) return ['No journey has a target, or there is no fit yet. State one under Targets, Journeys.']
  return [
    `'${journey.name}' is nearest to its target: ${felt(journey.minutes_month)} of downtime in a month of 30 days, ${journey.target} % allows ${felt(journey.allowed_minutes)}.`,
    `${felt(journey.minutes_year)} of a year of 365 days; ${journey.percent} % available.`,
    `Most of it: ${journey.causes
      .slice(0, 3)
      .map((cause) => `${cause.name} ${felt(cause.minutes)}`)
      .join(', ')}.`,
    'Evaluated jointly over zones and nodes on this fit; its chain stands under Targets, Journeys.',
  ]
})

function step(by: number): void {
  const target = variants.value[(place.value + by + variants.value.length) % variants.value.length]
  if (target) emit('variant', target.id)
}
</script>

<template>
  <header class="band">
    <div class="study">
      <button type="button" class="plain-button mark" aria-label="all studies" @click="emit('home')">
        <RombMark />
      </button>
      <div class="names">
        <h1 :title="bench.study.name">{{ bench.study.name }}</h1>
        <p class="quiet">{{ [bench.study.organisation, bench.region?.name ?? 'no region chosen yet'].filter(Boolean).join(' · ') }}</p>
      </div>
      <div class="switcher">
        <VariantMenu :bench="bench" :may-edit="mayEdit" @variant="emit('variant', $event)" />
        <span class="quiet">
          <button type="button" class="plain-button" aria-label="previous variant" @click="step(-1)">‹</button>
          {{ place + 1 }} of {{ variants.length }}
          <button type="button" class="plain-button" aria-label="next variant" @click="step(1)">›</button>
        </span>
      </div>
    </div>
    <Reason class="verdict" title="Monthly cost" :lines="costLines">
      <span class="label">Cost a month</span>
      <span class="figure" :class="{ late }">{{ fit ? `${money(whole)} ${fit.currency}` : '—' }}</span>
      <span class="word petrol">{{
        late ? 'before the last edit' : fit && busy && fit.gap > 1e-9 ? 'first answer, improving' : fit ? gapWords(fit.gap) : lacking
      }}</span>
      <span class="meter"><i :style="{ width: fit ? `${(100 * (Number(fit.floor_per_month) + fees)) / whole}%` : '0' }" /></span>
    </Reason>
    <Reason class="verdict" title="Availability against target" :lines="availabilityLines">
      <span class="label">Available</span>
      <span class="figure" :class="{ late }">{{ hardest ? `${hardest.percent} %` : '—' }}</span>
      <span class="word" :class="hardest && !hardest.met ? 'madder' : 'petrol'" :title="hardest?.name">{{
        !hardest
          ? 'no target stated'
          : hardest.met
            ? `${felt(hardest.allowed_minutes - hardest.minutes_month)} a month left`
            : `${felt(hardest.minutes_month - hardest.allowed_minutes)} a month over`
      }}</span>
      <span class="meter"
        ><i
          :class="{ hot: hardest && !hardest.met }"
          :style="{ width: hardest ? `${Math.min(100, (100 * hardest.minutes_month) / hardest.allowed_minutes)}%` : '0' }"
      /></span>
    </Reason>
    <Reason
      class="verdict"
      title="Losses survived"
      :lines="
        fit
          ? [
              `${ways[fit.survive_zone]}.`,
              ...(exceptions ? [`Left out of it: ${fit.left_out.join(', ')}.`] : []),
              'The independent checker went through the loss of every single zone before this fit was stored.',
              ...(drilled ? [`Drills: ${drilled}.`] : []),
              ...(fit.lost_nodes
                ? [`Any ${plural(fit.lost_nodes, 'node')} at once: ${survivalWords[fit.survive_nodes]}; checked for every node.`]
                : []),
            ]
          : ['There is no fit yet.']
      "
    >
      <span class="label">Survives</span>
      <span class="figure" :class="{ late }">{{
        !fit
          ? '—'
          : fit.survive_zone === 'none'
            ? fit.lost_nodes
              ? `any ${plural(fit.lost_nodes, 'node')}`
              : 'no zone'
            : exceptions
              ? 'a zone, in part'
              : 'any one zone'
      }}</span>
      <span class="word" :class="marks.includes('broken') ? 'madder' : fit?.survive_zone === 'none' || exceptions ? 'amber' : 'petrol'">{{
        !fit
          ? ''
          : fit.survive_zone === 'none'
            ? fit.lost_nodes
              ? `by ${survivalWords[fit.survive_nodes]}; no zone`
              : 'not promised'
            : drilled
              ? `drills: ${worst}`
              : `${exceptions ? `${plural(exceptions, 'workload')} left out` : `by ${survivalWords[fit.survive_zone]}`}${fit.lost_nodes ? `; any ${plural(fit.lost_nodes, 'node')} too` : ''}`
      }}</span>
      <span class="meter"><i :style="{ width: fit && fit.survive_zone !== 'none' ? '100%' : '0' }" /></span>
    </Reason>
    <Reason
      class="verdict"
      title="Room left"
      :lines="
        fit
          ? [
              'Share of usable capacity that stays free even in the worst promised loss:',
              ...Object.entries(fit.room_left).map(([name, share]) => `${resourceWord(name)}: ${percent(share, 2)}`),
            ]
          : ['There is no fit yet.']
      "
    >
      <span class="label">Room left</span>
      <span class="figure" :class="{ late }">{{ fit ? `${percent(left)} ${resourceWord(scarce)}` : '—' }}</span>
      <span class="word amber">{{ fit ? `${resourceWord(scarce)} is scarcer` : '' }}</span>
      <span class="meter"><i class="warm" :style="{ width: `${Math.min(100, 100 * left)}%` }" /></span>
    </Reason>
    <Reason
      class="verdict"
      title="Findings"
      :lines="findingLines.length ? findingLines : ['Nothing was found to say of this variant.']"
      :links="findingLinks"
      @go="emit('place', $event)"
    >
      <span class="label">Findings</span>
      <span class="figure">{{ stops.length ? plural(stops.length, 'blocker') : others.length ? others.length : 'none' }}</span>
      <span class="word" :class="stops.length ? 'madder' : others.length ? 'amber' : 'petrol'">{{
        stops.length ? (others.length ? `and ${others.length} more` : 'to fix first') : others.length ? counts : 'nothing blocks it'
      }}</span>
      <span class="meter"><i class="hot" :style="{ width: stops.length ? '100%' : '0' }" /></span>
    </Reason>
    <div class="act">
      <NButton
        v-if="mayEdit"
        size="small"
        :type="late || !bench.fit ? 'primary' : 'default'"
        :loading="busy"
        :disabled="busy || bench.faults.length > 0"
        :title="bench.faults[0]?.reason"
        @click="emit('fit')"
      >
        {{ busy ? 'fitting' : bench.fit ? 'Fit again' : 'Fit' }}
      </NButton>
      <slot />
    </div>
  </header>
</template>

<style scoped>
.band {
  display: grid;
  grid-template-columns: minmax(320px, 1.7fr) repeat(5, minmax(114px, 1fr)) 122px;
  align-items: stretch;
  background: var(--panel);
  border-bottom: 1px solid var(--line);
  height: 76px;
}
.study {
  display: flex;
  gap: 9px;
  align-items: center;
  padding: 0 10px 0 12px;
  min-width: 0;
}
.names {
  min-width: 0;
  flex: 1;
}
.names p {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.names h1 {
  line-height: 1.15;
  overflow-wrap: anywhere;
  display: -webkit-box;
  -webkit-box-orient: vertical;
  -webkit-line-clamp: 2;
  overflow: hidden;
}
.names p {
  font-size: 12px;
}
.names h1 {
  font-size: 18px;
}
.switcher button {
  min-width: 24px;
  min-height: 24px;
  text-align: center;
}
.switcher > span {
  white-space: nowrap;
}
.switcher {
  display: grid;
  text-align: right;
  justify-items: end;
  font-size: 12px;
  max-width: 150px;
}
.band :deep(.verdict) {
  display: grid;
  grid-template-rows: 16px 24px 16px 4px;
  align-content: center;
  padding: 0 14px;
  border-left: 1px solid var(--line);
}
.label {
  font-size: 12px;
  color: var(--quiet);
}
.figure {
  font-size: 17px;
  font-weight: 680;
  font-variant-numeric: tabular-nums;
  white-space: nowrap;
}
.figure.late {
  opacity: 0.45;
}
.word {
  font-size: 12px;
  font-weight: 560;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.petrol {
  color: var(--petrol);
}
.amber {
  color: var(--amber);
}
.madder {
  color: var(--madder);
}
.meter {
  background: var(--line);
  height: 3px;
  align-self: end;
}
.meter i {
  display: block;
  height: 3px;
  background: var(--petrol);
  transition: width 150ms;
}
.meter .warm {
  background: var(--amber);
}
.meter .hot {
  background: var(--madder);
}
.act {
  display: grid;
  gap: 4px;
  align-content: center;
  justify-items: stretch;
  padding: 0 10px;
  border-left: 1px solid var(--line);
}
@media (max-width: 1150px) {
  .band {
    grid-template-columns: 214px repeat(5, minmax(0, 1fr)) 94px;
  }
  .band :deep(.verdict) {
    padding: 0 7px;
  }
  .figure {
    font-size: 15px;
  }
  .word {
    font-size: 11px;
    letter-spacing: -0.1px;
  }
  .study {
    padding: 0 6px 0 8px;
    gap: 6px;
  }
  .names h1 {
    font-size: 15px;
    white-space: normal;
    line-height: 1.1;
  }
  .names p {
    display: none;
  }
  .switcher {
    max-width: 92px;
  }
}
</style>
