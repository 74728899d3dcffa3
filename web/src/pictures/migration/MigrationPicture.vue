<script setup lang="ts">
import { computed } from 'vue'
import type { Step } from '../../api/client'
import { exactMoney, money, plural } from '../../domain/format'
import { frame, roadLayout, type Stop } from './layout'

/** Cost a month over replicas moved, from what runs down its steps; a stop can be chosen. `marks` are costs to compare with. */
const props = defineProps<{
  begun: number
  steps: Step[]
  marks: { words: string; cost: number }[]
  chosen: number
  currency: string
  width: number
  height: number
}>()
const emit = defineEmits<{ choose: [place: number] }>()
const drawn = computed(() => roadLayout(props.begun, props.steps, props.marks, props.width, props.height))
const here = computed(() => drawn.value.stops.find((stop) => stop.place === props.chosen) ?? drawn.value.stops[0]!)

function told(stop: Stop): string {
  const after = stop.place < 0 ? 'What runs' : `After step ${stop.place + 1}`
  return `${after}: ${exactMoney(stop.cost)} ${props.currency} a month, ${plural(stop.moved, 'replica')} moved`
}
</script>

<template>
  <svg :width="width" :height="height" role="img" aria-labelledby="migration-title migration-words">
    <title id="migration-title">Cost a month over replicas moved</title>
    <desc id="migration-words">From what runs at the left, each step goes right by the replicas it moves and down by what it saves.</desc>
    <g class="axes">
      <line v-for="tick in drawn.up" :key="tick.text" :x1="frame.left" :x2="width - frame.right" :y1="tick.at" :y2="tick.at" />
      <text v-for="tick in drawn.up" :key="`u${tick.text}`" :x="frame.left - 6" :y="tick.at + 4" text-anchor="end">
        {{ money(tick.text) }}
      </text>
      <text v-for="tick in drawn.across" :key="`a${tick.text}`" :x="tick.at" :y="height - frame.bottom + 15" text-anchor="middle">
        {{ tick.text }}
      </text>
      <text :x="width - frame.right" :y="height - 2" text-anchor="end">replicas moved</text>
      <text :x="2" :y="11">{{ currency }} a month</text>
    </g>
    <g v-for="(mark, place) in drawn.lines" :key="mark.words" class="mark">
      <line :x1="frame.left" :x2="width - frame.right" :y1="mark.y" :y2="mark.y" />
      <text
        :x="place % 2 ? frame.left + 8 : width - frame.right"
        :y="place % 2 ? mark.y + 13 : mark.y - 4"
        :text-anchor="place % 2 ? 'start' : 'end'"
      >
        {{ mark.words }} {{ money(mark.cost) }}
      </text>
    </g>
    <path :d="drawn.path" class="migration" />
    <path :d="`M${here.x} ${here.y}V${height - frame.bottom}`" class="here" />
    <circle
      v-for="stop in drawn.stops"
      :key="stop.place"
      :cx="stop.x"
      :cy="stop.y"
      :r="stop.place === chosen ? 6 : 4"
      :class="{ chosen: stop.place === chosen, past: stop.place <= chosen }"
      @click="emit('choose', stop.place)"
    >
      <title>{{ told(stop) }}</title>
    </circle>
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
.mark line {
  stroke: var(--petrol);
  stroke-dasharray: 5 3;
}
.mark text {
  font-size: 11.5px;
  font-weight: 600;
  fill: var(--petrol);
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 3px;
}
.migration {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.6;
}
.here {
  stroke: var(--madder);
  stroke-width: 1;
  stroke-dasharray: 2 3;
}
circle {
  fill: var(--paper);
  stroke: var(--ink);
  stroke-width: 1.4;
  cursor: pointer;
}
circle.past {
  fill: var(--ink);
}
circle.chosen,
circle:hover {
  fill: var(--madder);
  stroke: var(--madder);
}
</style>
