<script setup lang="ts">
import { computed } from 'vue'
import { money, percent } from '../../domain/format'
import { BOTTOM, LEFT, sufficingLayout, TOP, type Tried } from './layout'

/** What late demand costs to avoid: a diamond for each of the limits that none tried beats, the promise as a line, before and found marked. */
const props = defineProps<{
  tried: (Tried & { words: string })[]
  promise: number
  before: number
  found: number | null
  currency: string
  width: number
  height: number
}>()
const picture = computed(() => sufficingLayout(props.tried, props.promise, props.before, props.found, props.width, props.height))
</script>

<template>
  <svg
    :viewBox="`0 0 ${width} ${height}`"
    :width="width"
    :height="height"
    role="img"
    :aria-label="`cost in ${currency} against late demand`"
  >
    <g v-for="tick in picture.up" :key="tick.share">
      <line :x1="LEFT" :x2="width - 10" :y1="tick.at" :y2="tick.at" class="grid" />
      <text :x="LEFT - 5" :y="tick.at + 4" class="end">{{ percent(tick.share, 2) }}</text>
    </g>
    <text v-for="tick in picture.across" :key="tick.cost" :x="tick.at" :y="height - 6" class="middle">{{ money(tick.cost) }}</text>
    <line :x1="picture.before" :x2="picture.before" :y1="TOP" :y2="height - BOTTOM" class="before" />
    <text :x="picture.before + 4" :y="height - BOTTOM - 4" class="quiet">before</text>
    <line :x1="LEFT" :x2="width - 10" :y1="picture.promise" :y2="picture.promise" class="promise" />
    <text :x="width - 12" :y="picture.promise - 4" class="end madder">promise</text>
    <path :d="picture.stairs" class="stairs" />
    <path v-for="(dot, place) in picture.dots" :key="place" :d="`M${dot.x} ${dot.y - 6}l4 6-4 6-4-6z`" class="dot">
      <title>{{ tried[place]?.words }}: {{ money(dot.cost) }} {{ currency }}, {{ percent(dot.late, 3) }} late</title>
    </path>
    <path v-if="picture.found" :d="`M${picture.found.x} ${picture.found.y - 10}l6.5 10-6.5 10-6.5-10z`" class="found">
      <title>what was found: {{ money(picture.found.cost) }} {{ currency }}</title>
    </path>
  </svg>
</template>

<style scoped>
svg {
  display: block;
  max-width: 100%;
}
.grid {
  stroke: var(--line);
}
.before {
  stroke: var(--quiet);
  stroke-dasharray: 2 3;
}
.promise {
  stroke: var(--madder);
  stroke-dasharray: 5 4;
}
.stairs {
  fill: none;
  stroke: var(--petrol);
  stroke-width: 1.5;
}
.dot {
  fill: var(--petrol);
}
.found {
  fill: none;
  stroke: var(--ink);
  stroke-width: 2;
}
text {
  font-size: 11px;
  fill: var(--ink);
  font-variant-numeric: tabular-nums;
}
.end {
  text-anchor: end;
}
.middle {
  text-anchor: middle;
}
text.quiet {
  fill: var(--quiet);
}
text.madder {
  fill: var(--madder);
}
</style>
