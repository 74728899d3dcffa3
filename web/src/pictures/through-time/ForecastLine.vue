<script setup lang="ts">
import { computed } from 'vue'
import type { Forecast, Growth } from '../../api/demand'
import { band, dayTicks, frameOf, path, scaleX, scaleY, steps } from './layout'

/** Daily peaks measured and to come, with the band, the limit, and planned events. */
const props = defineProps<{ forecast: Forecast; events: Growth['events']; width: number; height: number }>()
const frame = computed(() => frameOf(props.width, props.height))
const at = (day: string) => Date.parse(`${day}T00:00:00Z`) / 1000
const all = computed(() => [...props.forecast.measured, ...props.forecast.ahead])
const first = computed(() => at(all.value[0]?.day ?? '2026-01-01'))
const last = computed(() => at(all.value[all.value.length - 1]?.day ?? '2026-12-31'))
const most = computed(() => 1.06 * Math.max(props.forecast.limit ?? 0, ...all.value.map((day) => day.high ?? day.peak ?? 0)))
const x = computed(() => scaleX(frame.value, first.value, last.value))
const y = computed(() => scaleY(frame.value, most.value))
const line = (days: Forecast['ahead']) => path(days.map((day) => [x.value(at(day.day)), day.peak === null ? null : y.value(day.peak)]))
const area = computed(() => band(props.forecast.ahead.map((day) => [x.value(at(day.day)), y.value(day.low ?? 0), y.value(day.high ?? 0)])))
const marks = computed(() =>
  props.events
    .filter((event) => at(event.last) >= first.value && at(event.first) <= last.value)
    .map((event) => ({
      ...event,
      x: x.value(at(event.first)),
      width: Math.max(3, x.value(at(event.last) + 86400) - x.value(at(event.first))),
    })),
)
</script>

<template>
  <svg :width="width" :height="height" role="img" :aria-label="`daily peaks of ${forecast.name}, in cores`">
    <title>Daily peaks of {{ forecast.name }}: measured, and expected with its band</title>
    <rect
      v-for="mark in marks"
      :key="mark.name"
      :x="mark.x"
      :y="frame.top"
      :width="mark.width"
      :height="height - frame.top - frame.bottom"
      class="event"
    >
      <title>{{ mark.name }}: × {{ mark.factor }}, {{ mark.first }} to {{ mark.last }}</title>
    </rect>
    <g class="axes">
      <template v-for="step in steps(most)" :key="step">
        <line :x1="frame.left" :x2="width - frame.right" :y1="y(step)" :y2="y(step)" />
        <text :x="frame.left - 5" :y="y(step) + 3" text-anchor="end">{{ Number(step.toPrecision(3)) }}</text>
      </template>
      <text v-for="tick in dayTicks(first, last)" :key="tick.at" :x="x(tick.at)" :y="height - 5" text-anchor="middle">{{ tick.text }}</text>
      <text :x="frame.left + 4" :y="frame.top + 6">cores at the day’s peak</text>
    </g>
    <path :d="area" class="band" />
    <path :d="line(forecast.ahead)" class="ahead" />
    <path :d="line(forecast.measured)" class="measured" />
    <circle
      v-for="day in forecast.measured.filter((entry) => entry.peak !== null)"
      :key="day.day"
      :cx="x(at(day.day))"
      :cy="y(day.peak ?? 0)"
      r="2.2"
      class="point"
    >
      <title>{{ day.day }}: {{ day.peak?.toFixed(2) }} cores</title>
    </circle>
    <template v-if="forecast.limit !== null">
      <line :x1="frame.left" :x2="width - frame.right" :y1="y(forecast.limit)" :y2="y(forecast.limit)" class="limit" />
      <text :x="frame.left + 6" :y="y(forecast.limit) - 5" class="label">
        maximum {{ forecast.limit.toFixed(1) }}: {{ forecast.limit_why }}
      </text>
    </template>
    <g v-if="forecast.reached">
      <path :d="`M${x(at(forecast.reached))} ${y(forecast.limit ?? 0) - 9}l6 9-6 9-6-9z`" class="hit" />
      <text :x="x(at(forecast.reached))" :y="y(forecast.limit ?? 0) + 22" text-anchor="middle" class="label">{{ forecast.reached }}</text>
    </g>
    <text v-for="mark in marks" :key="`t${mark.name}`" :x="mark.x + 3" :y="height - frame.bottom - 5" class="label">
      {{ mark.name }} × {{ mark.factor }}
    </text>
  </svg>
</template>

<style scoped>
.axes line {
  stroke: var(--line);
}
.axes text {
  font-size: 11px;
  fill: var(--quiet);
  font-variant-numeric: tabular-nums;
}
.event {
  fill: var(--amber);
  opacity: 0.18;
}
.band {
  fill: var(--petrol);
  opacity: 0.16;
}
.ahead {
  fill: none;
  stroke: var(--petrol);
  stroke-width: 1.6;
  stroke-dasharray: 5 3;
}
.measured {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.4;
}
.point {
  fill: var(--ink);
}
.limit {
  stroke: var(--madder);
  stroke-width: 1.5;
}
.label {
  font-size: 11px;
  fill: var(--ink);
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 3px;
}
.hit {
  fill: var(--madder);
}
</style>
