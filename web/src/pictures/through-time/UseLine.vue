<script setup lang="ts">
import { computed } from 'vue'
import { dayTicks, frameOf, path, scaleX, scaleY, steps } from './layout'

/** What the busiest replica used through time, against its request now and then; gaps stay gaps. */
const props = defineProps<{
  title: string
  startS: number
  stepS: number
  values: (number | null)[]
  now: number
  then: number
  unit: string
  width: number
  height: number
}>()
const frame = computed(() => frameOf(props.width, props.height))
const most = computed(() => 1.08 * Math.max(props.now, props.then, ...props.values.map((value) => value ?? 0)))
const last = computed(() => props.startS + props.stepS * Math.max(props.values.length - 1, 1))
const x = computed(() => scaleX(frame.value, props.startS, last.value))
const y = computed(() => scaleY(frame.value, most.value))
const line = computed(() =>
  path(props.values.map((value, place) => [x.value(props.startS + place * props.stepS), value === null ? null : y.value(value)])),
)
</script>

<template>
  <svg :width="width" :height="height" role="img" :aria-label="title">
    <title>{{ title }}</title>
    <g class="axes">
      <template v-for="step in steps(most)" :key="step">
        <line :x1="frame.left" :x2="width - frame.right" :y1="y(step)" :y2="y(step)" />
        <text :x="frame.left - 5" :y="y(step) + 3" text-anchor="end">{{ Number(step.toPrecision(3)) }}</text>
      </template>
      <text v-for="tick in dayTicks(startS, last)" :key="tick.at" :x="x(tick.at)" :y="height - 6" text-anchor="middle">
        {{ tick.text }}
      </text>
      <text :x="frame.left + 4" :y="frame.top + 6">{{ unit }}</text>
    </g>
    <path :d="line" class="use" />
    <line :x1="frame.left" :x2="width - frame.right" :y1="y(now)" :y2="y(now)" class="now" />
    <line :x1="frame.left" :x2="width - frame.right" :y1="y(then)" :y2="y(then)" class="then" />
    <text :x="width - frame.right - 2" :y="y(now) - 4" text-anchor="end" class="label">requested now</text>
    <text v-if="Math.abs(y(now) - y(then)) > 13" :x="width - frame.right - 2" :y="y(then) - 4" text-anchor="end" class="label warm">
      proposed
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
.use {
  fill: none;
  stroke: var(--petrol);
  stroke-width: 1;
}
.now {
  stroke: var(--ink);
  stroke-width: 1.5;
}
.then {
  stroke: var(--madder);
  stroke-width: 1.5;
  stroke-dasharray: 5 3;
}
.label {
  font-size: 11px;
  fill: var(--ink);
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 3px;
}
.warm {
  fill: var(--madder);
}
</style>
