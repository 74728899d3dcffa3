<script setup lang="ts">
import { NButton, NInput, NInputNumber } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { Problem, type Bench } from '../../../api/client'
import { useGrowth, type DemandActions, type Growth } from '../../../api/demand'
import { useSize } from '../../../composables/useSize'
import { day } from '../../../domain/format'
import ForecastLine from '../../../pictures/through-time/ForecastLine.vue'
import FaultList from '../../../ui/FaultList.vue'
import OneOf from '../../../ui/OneOf.vue'

/** Where demand is heading, what is planned to come, and when limits are met. */
const props = defineProps<{ bench: Bench; demand: DemandActions; mayEdit: boolean }>()
const query = ref<{ trend: 'linear' | 'robust' | 'smoothed'; horizon_days: number; workload: string }>({
  trend: 'robust',
  horizon_days: 120,
  workload: '',
})
const found = useGrowth(
  computed(() => props.bench.variant.id),
  query,
)
const data = computed(() => found.data.value)
const trends = [
  { value: 'robust', label: 'robust: median of slopes' },
  { value: 'linear', label: 'linear: least squares' },
  { value: 'smoothed', label: 'smoothed: follows the last weeks' },
]
const canvas = ref<HTMLElement | null>(null)
const { width, height } = useSize(canvas)
const events = ref<Growth['events']>([])
watch(data, (now) => now && (events.value = now.events.map((event) => ({ ...event }))), { immediate: true })
const error = computed(() => props.demand.change.error.value as Problem | null)

const weekdays = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday']
const shapes = computed(() => {
  const chosen = data.value?.chosen
  if (!chosen) return []
  return [
    {
      title: 'the week’s shape, Monday first',
      factors: chosen.weekday,
      most: Math.max(...chosen.weekday),
      names: (place: number) => weekdays[place] ?? '',
    },
    {
      title: 'the day’s shape, from midnight UTC',
      factors: chosen.daily,
      most: Math.max(...chosen.daily),
      names: (place: number) => `${place}:00`,
    },
  ]
})

function add(): void {
  const last = data.value?.chosen?.measured.at(-1)?.day ?? new Date().toISOString().slice(0, 10)
  events.value = [...events.value, { name: '', first: last, last, factor: 1.2 }]
}
function reachedWords(row: Growth['rows'][number]): string {
  if (row.limit === null) return 'no limit stated'
  if (row.reached) return day(row.reached)
  return row.reached_high ? `perhaps ${day(row.reached_high)}` : 'not in this time'
}
</script>

<template>
  <div v-if="data && data.rows.length" class="growth">
    <section class="policy" aria-label="how the forecast is made">
      <label>trend <OneOf v-model:value="query.trend" size="tiny" :options="trends" :consistent-menu-width="false" name="trend" /></label>
      <label
        >days ahead
        <NInputNumber
          v-model:value="query.horizon_days"
          size="tiny"
          :min="7"
          :max="730"
          :show-button="false"
          :input-props="{ 'aria-label': 'days ahead' }"
      /></label>
      <span class="quiet">{{ data.chosen?.caution }}</span><span class="grow" />
      <NButton
        v-if="mayEdit"
        size="tiny"
        :loading="demand.follow.isPending.value"
        title="each workload’s growth to its highest day ahead becomes its growth to the grown peak"
        @click="demand.follow.mutate({ what: 'growth', keys: [], trend: query.trend, horizon_days: query.horizon_days })"
        >Let the grown peak follow</NButton
      >
    </section>
    <div class="body">
      <div class="left">
        <h2 v-if="data.chosen">
          {{ data.chosen.name }}
          <span class="quiet"
            >{{ data.chosen.slope_per_week >= 0 ? '+' : '' }}{{ data.chosen.slope_per_week.toFixed(2) }} cores a week; highest day ahead
            {{ data.chosen.growth_percent }} % above the highest measured;
            <span :class="{ madder: data.chosen.reached }">{{
              data.chosen.reached
                ? `maxima reached on ${day(data.chosen.reached)}`
                : data.chosen.limit === null
                  ? 'no maximum stated'
                  : 'maxima not reached in this time'
            }}</span></span
          >
        </h2>
        <div ref="canvas" class="canvas">
          <ForecastLine v-if="data.chosen" :forecast="data.chosen" :events="data.events" :width="width" :height="height" />
        </div>
        <div v-if="data.chosen" class="shapes">
          <figure v-for="shape in shapes" :key="shape.title">
            <figcaption class="quiet">{{ shape.title }}</figcaption>
            <svg width="260" height="34" role="img" :aria-label="shape.title">
              <g v-for="(factor, place) in shape.factors" :key="place">
                <rect
                  :x="(260 / shape.factors.length) * place + 1"
                  :y="32 - 30 * (factor / shape.most)"
                  :width="260 / shape.factors.length - 2"
                  :height="30 * (factor / shape.most)"
                >
                  <title>{{ shape.names(place) }}: {{ factor.toFixed(2) }} × the mean</title>
                </rect>
              </g>
            </svg>
          </figure>
        </div>
        <p class="quiet small">
          Band: one day in ten lies above it, where days scatter normally. A day’s peak is the 99th percentile of its samples.
        </p>
        <section aria-label="planned events">
          <h3>Planned events</h3>
          <FaultList v-if="error" :title="error.message" :faults="error.faults" />
          <div v-for="(event, place) in events" :key="place" class="event">
            <NInput
              v-model:value="event.name"
              size="tiny"
              placeholder="what is to come"
              :disabled="!mayEdit"
              :input-props="{ 'aria-label': `name of event ${place + 1}` }"
            />
            <input v-model="event.first" type="date" :disabled="!mayEdit" :aria-label="`first day of event ${place + 1}`" /> to
            <input v-model="event.last" type="date" :disabled="!mayEdit" :aria-label="`last day of event ${place + 1}`" /> ×
            <NInputNumber
              v-model:value="event.factor"
              size="tiny"
              :show-button="false"
              :disabled="!mayEdit"
              :input-props="{ 'aria-label': `factor of event ${place + 1}` }"
            />
            <button
              v-if="mayEdit"
              type="button"
              class="plain-button quiet"
              :aria-label="`remove event ${place + 1}`"
              @click="events = events.filter((_, other) => other !== place)"
            >
              ×
            </button>
          </div>
          <div v-if="mayEdit" class="event">
            <NButton size="tiny" @click="add">Add an event</NButton
            ><NButton
              size="tiny"
              type="primary"
              :disabled="JSON.stringify(events) === JSON.stringify(data.events)"
              @click="demand.change.mutate({ events })"
              >Keep events</NButton
            >
          </div>
        </section>
      </div>
      <div class="table">
        <table>
          <thead>
            <tr>
              <th>workload</th>
              <th class="number" title="cores at the highest measured day">peak</th>
              <th class="number">a week</th>
              <th class="number">growth</th>
              <th class="number">limit</th>
              <th>maxima reached</th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="row in data.rows"
              :key="row.name"
              :class="{ chosen: row.name === data.chosen?.name }"
              @click="query.workload = row.key ? row.name : ''"
            >
              <td>
                <button type="button" class="plain-button">
                  <strong v-if="!row.key">{{ row.name }}</strong><template v-else>{{ row.name }}</template>
                </button>
              </td>
              <td class="number">{{ row.peak.toFixed(1) }}</td>
              <td class="number">{{ row.slope_per_week >= 0 ? '+' : '' }}{{ row.slope_per_week.toFixed(2) }}</td>
              <td class="number">{{ row.growth_percent }} %</td>
              <td class="number">{{ row.limit === null ? '—' : row.limit.toFixed(1) }}</td>
              <td :class="{ madder: row.reached, quiet: !row.reached && !row.reached_high }">{{ reachedWords(row) }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </div>
  </div>
  <p v-else-if="data" class="quiet none">
    Growth is told from measured use: read a series under “Measured use” first. Growth can also be stated under “Levels”.
  </p>
  <p v-else class="quiet none" role="status">{{ found.error.value?.message ?? 'looking through what was measured…' }}</p>
</template>

<style scoped>
.growth {
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-height: 0;
  height: 100%;
  padding-top: 8px;
}
.policy {
  display: flex;
  gap: 14px;
  align-items: center;
  border: 1px solid var(--line);
  border-width: 0 0 1px;
  padding-bottom: 6px;
}
.grow {
  flex: 1;
}
label {
  display: flex;
  gap: 6px;
  align-items: center;
  white-space: nowrap;
}
.policy :deep(.n-input-number) {
  width: 56px;
}
.policy :deep(.n-select) {
  width: 210px;
}
.body {
  display: grid;
  grid-template-columns: 1fr 480px;
  gap: 18px;
  min-height: 0;
  flex: 1;
}
.left {
  display: grid;
  grid-template-rows: auto 1fr auto auto auto;
  gap: 6px;
  min-height: 0;
}
h2 .quiet {
  font-weight: 400;
  font-size: 12px;
}
.canvas {
  min-height: 200px;
  overflow: hidden;
}
.small {
  font-size: 12px;
}
.table {
  overflow: auto;
  min-height: 0;
}
thead th {
  white-space: nowrap;
  position: sticky;
  top: 0;
  background: var(--paper);
}
td {
  padding: 2px 6px;
  white-space: nowrap;
}
tr.chosen {
  background: var(--panel);
  box-shadow: inset 3px 0 0 var(--madder);
}
tbody tr:hover {
  background: var(--wash);
  cursor: pointer;
}
.shapes {
  display: flex;
  gap: 30px;
}
figure {
  margin: 0;
  font-size: 12px;
}
rect {
  fill: var(--petrol);
  opacity: 0.75;
}
.event {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 4px;
}
.event :deep(.n-input) {
  width: 200px;
}
.event :deep(.n-input-number) {
  width: 60px;
}
input[type='date'] {
  font: inherit;
  color: inherit;
  background: none;
  border: 0;
  border-bottom: 1px solid var(--line);
}
.none {
  padding: 40px;
}
</style>
