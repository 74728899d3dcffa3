<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, toRef } from 'vue'
import { useWays, type Journey } from '../../../api/availability'
import { underWay, type Bench, type Inquiry } from '../../../api/client'
import { exactMoney, percent } from '../../../domain/format'
import { felt } from '../../../domain/minutes'
import InquiryLine from '../../../ui/InquiryLine.vue'
import Reason from '../../../ui/Reason.vue'

/** What a journey's minutes come from, what would help, and what chance says of the exact figure. */
const props = defineProps<{ bench: Bench; journey: Journey; simulation: Inquiry | null; mayEdit: boolean }>()
const emit = defineEmits<{ ask: []; stop: [id: number] }>()
const ways = useWays(
  toRef(() => props.bench.variant.id),
  toRef(() => props.bench.fit?.id ?? 0),
  toRef(() => props.journey.name),
)
const causes = computed(() => props.journey.causes.filter((cause) => cause.minutes > 0.0005).slice(0, 8))
const most = computed(() => Math.max(1e-9, ...causes.value.map((cause) => cause.minutes)))
const helpful = computed(() => (ways.data.value ?? []).filter((way) => way.minutes > 0.0005).slice(0, 8))
const played = computed(() => props.simulation?.simulation?.journeys.find((entry) => entry.name === props.journey.name) ?? null)
const words = { replica: 'one replica more of', zone: '', regional: 'made regional:', spread: 'one in every zone:' } as const
const tells: Record<string, string> = {
  replicas: 'Single replicas that crash and are restarted in place.',
  nodes: 'Nodes lost one by one, until their replicas serve elsewhere or the node is back.',
  'single zones': 'One zone at a time, and zones lost by chance together.',
  'all zones at once': 'The share of zone failures that takes all of them: the common cause.',
  'the region': 'Failures of the region as a whole.',
}
</script>

<template>
  <aside aria-label="the journey chosen">
    <h3>what takes the minutes</h3>
    <ol class="causes">
      <li v-for="cause in causes" :key="cause.name">
        <Reason
          :title="cause.name"
          :lines="[
            tells[cause.name] ?? 'A dependency of this journey.',
            `If it never failed, ${felt(cause.minutes)} a month less would be lost: computed anew without it, ${percent(cause.share)} of all such.`,
          ]"
        >
          <span class="row"
            ><span>{{ cause.name }}</span
            ><strong>{{ felt(cause.minutes) }}</strong></span
          >
          <span class="bar"><i :style="{ width: `${(100 * cause.minutes) / most}%` }" /></span>
        </Reason>
      </li>
    </ol>
    <h3>what would help</h3>
    <p v-if="ways.isPending.value" class="quiet">Each step is computed anew.</p>
    <table v-else-if="helpful.length">
      <tbody>
        <tr v-for="way in helpful" :key="way.kind + way.name">
          <td>
            <span class="quiet">{{ words[way.kind] }}</span> {{ way.name }}
          </td>
          <td class="number">
            <strong>−{{ felt(way.minutes) }}</strong
            ><span
              v-if="way.cost"
              class="quiet cost"
              :title="`a replica of it costs ${exactMoney(way.cost)} ${bench.study.currency} a month in this fit`"
              >{{ exactMoney(way.cost) }} {{ bench.study.currency }}</span
            >
          </td>
        </tr>
      </tbody>
    </table>
    <p v-else class="quiet">No single replica, zone or place of a dependency would save as much as a second a month.</p>
    <p class="quiet note">
      One zone more compares the same replicas dealt evenly over {{ bench.variant.zones.length }} and
      {{ bench.variant.zones.length + 1 }} zones.
    </p>
    <h3>confirmed by chance</h3>
    <template v-if="played && simulation">
      <svg
        viewBox="0 0 262 34"
        role="img"
        :aria-label="`played ${felt(played.mean)}, between ${felt(played.mean - (played.half_width ?? 0))} and ${felt(played.mean + (played.half_width ?? 0))}; exact ${felt(played.exact)}`"
      >
        <line x1="20" x2="242" y1="17" y2="17" class="span" />
        <path d="M20 11v12M242 11v12" class="span" />
        <path
          :d="`M${131 + Math.max(-125, Math.min(125, (111 * (played.exact - played.mean)) / (played.half_width || 1)))} 6l7 11-7 11-7-11z`"
          class="exact"
        />
      </svg>
      <p>
        {{ felt(played.mean) }} ± {{ played.half_width === null ? 'unknown' : felt(played.half_width) }} a month in
        {{ simulation.simulation?.years }} played years ({{ played.outages_per_year.toFixed(1) }} outages a year); exact
        {{ felt(played.exact) }}: <strong :class="played.holds ? 'petrol' : 'madder'">{{ played.holds ? 'inside' : 'outside' }}</strong> the
        95 % interval.
      </p>
      <p class="quiet note">{{ played.batches }} batch means, Student’s t; nineteen of twenty such intervals hold the true figure.</p>
      <p v-if="!simulation.is_current" class="quiet note">Played before the last change.</p>
    </template>
    <p v-else-if="!simulation" class="quiet note">
      Years are played zone by zone, node by node, replica by replica, with the same meaning and none of the mathematics.
    </p>
    <InquiryLine :inquiry="simulation" :may-edit="mayEdit" doing="playing" @stop="emit('stop', $event)" @ask="emit('ask')" />
    <NButton v-if="mayEdit && !underWay(simulation)" size="small" @click="emit('ask')">{{
      simulation ? 'Play again' : 'Play 400 years'
    }}</NButton>
  </aside>
</template>

<style scoped>
aside {
  display: grid;
  gap: 7px;
  align-content: start;
}
.causes {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 4px;
}
.row {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  font-size: 12px;
}
.bar {
  display: block;
  height: 6px;
  background: var(--wash);
}
.bar i {
  display: block;
  height: 6px;
  background: var(--madder);
}
td {
  font-size: 12px;
  padding: 3px 0;
  vertical-align: top;
}
td.number {
  white-space: nowrap;
  padding-left: 8px;
}
.cost {
  display: block;
  font-size: 11px;
}
h3:not(:first-child) {
  margin-top: 8px;
}
p {
  font-size: 12px;
}
.note {
  font-size: 11px;
}
.span {
  stroke: var(--ink);
  fill: none;
}
.exact {
  fill: var(--madder);
}
.petrol {
  color: var(--petrol);
}
</style>
