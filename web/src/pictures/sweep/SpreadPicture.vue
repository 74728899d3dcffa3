<script setup lang="ts">
import { computed } from 'vue'
import type { Sweep } from '../../api/sweeps'
import { LANE, spreadLayout } from './layout'

/** What each choice costs under every future: a lane a choice, a mark a future. */
const props = defineProps<{ sweep: Sweep; width: number; chosen: number | null }>()
const emit = defineEmits<{ choose: [number: number] }>()
const picture = computed(() => spreadLayout(props.sweep, props.width))
</script>

<template>
  <svg
    :width="width"
    :height="picture.height"
    role="group"
    :aria-label="`cost a month of ${sweep.choices} choices under ${sweep.futures} futures`"
  >
    <title>Cost of every choice under every future</title>
    <g v-for="tick in picture.ticks" :key="tick.at">
      <line :x1="tick.at" :x2="tick.at" y1="14" :y2="picture.height - 26" class="grid" />
      <text :x="tick.at" :y="picture.height - 12" class="middle quiet">{{ tick.words }}</text>
    </g>
    <text x="4" :y="picture.height - 12" class="quiet">{{ sweep.currency }} a month</text>
    <g v-for="lane in picture.lanes" :key="lane.choice">
      <text x="4" :y="lane.y + LANE / 2 + 4" class="name">
        {{ lane.name.length > 24 ? `${lane.name.slice(0, 23)}…` : lane.name }}
        <title>{{ lane.name }}</title>
      </text>
      <template v-if="lane.band">
        <rect :x="lane.band.from" :y="lane.y + 8" :width="Math.max(1, lane.band.to - lane.band.from)" :height="LANE - 16" class="band" />
        <path :d="`M${lane.band.middle} ${lane.y + 3}l5 ${LANE / 2 - 3}-5 ${LANE / 2 - 3}-5-${LANE / 2 - 3}z`" class="median">
          <title>the middle one of all futures</title>
        </path>
      </template>
      <rect
        v-for="mark in lane.marks"
        :key="mark.number"
        :x="mark.x - 1"
        width="2"
        :y="lane.y + 10"
        :height="LANE - 20"
        class="mark"
        :class="{ chosen: mark.number === chosen }"
        @click="emit('choose', mark.number)"
      >
        <title>{{ mark.words }}</title>
      </rect>
      <text v-if="lane.unplanned" :x="width - 4" :y="lane.y + LANE / 2 + 4" class="end madder">{{ lane.unplanned }} without</text>
    </g>
  </svg>
</template>

<style scoped>
svg {
  display: block;
}
text {
  font-size: 11px;
  fill: var(--ink);
  font-variant-numeric: tabular-nums;
}
text.quiet {
  fill: var(--quiet);
}
text.madder {
  fill: var(--madder);
}
.name {
  font-weight: 560;
}
.middle {
  text-anchor: middle;
}
.end {
  text-anchor: end;
}
.grid {
  stroke: var(--line);
}
.band {
  fill: var(--wash);
}
.median {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.2;
}
.mark {
  fill: var(--petrol);
  /* A little more than is seen, so that it can be hit. */
  stroke: transparent;
  stroke-width: 4;
  cursor: pointer;
}
.mark:hover,
.mark.chosen {
  fill: var(--madder);
  stroke: var(--madder);
  stroke-width: 1;
}
</style>
