<script setup lang="ts">
import { computed } from 'vue'
import type { FrontierPoint, Journey } from '../../api/availability'
import { money } from '../../domain/format'
import { felt } from '../../domain/minutes'
import { frontierLayout } from './layout'

/** Cost against downtime: every diamond a computed fit, the hollow one the present variant, the bend marked. */
const props = defineProps<{
  points: FrontierPoint[]
  journey: Journey
  cost: number
  currency: string
  width: number
  height: number
  chosen: number | null
}>()
const emit = defineEmits<{ choose: [place: number] }>()
const picture = computed(() =>
  frontierLayout(
    props.points,
    props.journey.name,
    { cost: props.cost, minutes: props.journey.minutes_month },
    props.journey.stated ? props.journey.allowed_minutes : null,
    props.width,
    props.height,
  ),
)
</script>

<template>
  <svg
    :viewBox="`0 0 ${width} ${height}`"
    :width="width"
    :height="height"
    role="group"
    :aria-label="`cost a month against minutes of downtime a month of ${journey.name}`"
  >
    <title>Cost against availability of {{ journey.name }}</title>
    <g v-for="tick in picture.up" :key="tick.words">
      <line :x1="74" :x2="width - 12" :y1="tick.at" :y2="tick.at" class="grid" />
      <text x="66" :y="tick.at + 4" class="end">{{ tick.words }}</text>
    </g>
    <g v-for="tick in picture.across" :key="tick.words">
      <line :x1="tick.at" :x2="tick.at" y1="16" :y2="height - 34" class="grid" />
      <text :x="tick.at" :y="height - 18" class="middle">{{ money(tick.words) }}</text>
    </g>
    <text :x="width - 12" :y="height - 3" class="end quiet">{{ currency }} a month</text>
    <text x="6" y="11" class="quiet">downtime a month</text>
    <g v-if="picture.allowed !== null">
      <line x1="74" :x2="width - 12" :y1="picture.allowed" :y2="picture.allowed" class="allowed" />
      <text :x="width - 14" :y="picture.allowed - 5" class="end madder">
        {{ journey.target }} % allows {{ felt(journey.allowed_minutes) }}
      </text>
    </g>
    <path :d="picture.path" class="edge" />
    <g
      v-for="dot in picture.dots"
      :key="dot.index"
      class="dot"
      :class="{ chosen: dot.index === chosen }"
      tabindex="0"
      role="button"
      :aria-label="`${money(dot.cost)} ${currency} a month, ${felt(dot.minutes)} of downtime${dot.isBend ? ', the bend' : ''}`"
      @click="emit('choose', dot.index)"
      @keydown.enter="emit('choose', dot.index)"
    >
      <title>{{ money(dot.cost) }} {{ currency }} a month, {{ felt(dot.minutes) }} of downtime{{ dot.isBend ? ' · the bend' : '' }}</title>
      <path :d="`M${dot.x} ${dot.y - 10}l6.5 10-6.5 10-6.5-10z`" />
      <text v-if="dot.isBend" :x="dot.x + 12" :y="dot.y - 8" class="bend">the bend</text>
    </g>
    <g v-if="picture.here">
      <path :d="`M${picture.here.x} ${picture.here.y - 14}l9 14-9 14-9-14z`" class="here" />
      <text :x="picture.here.x" :y="picture.here.y - 18" class="middle">this variant</text>
    </g>
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
.allowed {
  stroke: var(--madder);
  stroke-dasharray: 5 4;
}
.edge {
  fill: none;
  stroke: var(--petrol);
  stroke-width: 1.5;
}
.dot path {
  fill: var(--petrol);
  cursor: pointer;
}
.dot:hover path,
.dot.chosen path {
  fill: var(--madder);
}
.dot:focus {
  outline: none;
}
.dot:focus-visible path {
  stroke: var(--madder);
  stroke-width: 3;
}
.here {
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
.bend {
  font-weight: 600;
}
</style>
