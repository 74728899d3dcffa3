<script setup lang="ts">
import { computed, ref } from 'vue'
import { BOTTOM, durationLayout, LEFT, nearest, RIGHT, type InUse } from './layout'

/** The hours of a month sorted by what is in use; the line is what is committed to, moved by the pointer or the arrow keys to listed levels. */
const props = defineProps<{ uses: InUse[]; levels: { amount: number }[]; unit: string; words: string; width: number; height: number }>()
const level = defineModel<number>({ required: true })
const svg = ref<SVGSVGElement | null>(null)
const picture = computed(() => durationLayout(props.uses, level.value, props.width, props.height))
const short = (amount: number) => (Number.isInteger(amount) ? String(amount) : amount.toFixed(2))

function drag(event: PointerEvent): void {
  if (!event.buttons || !svg.value) return
  const found = nearest(props.levels, picture.value.amountAt(event.clientY - svg.value.getBoundingClientRect().top))
  if (found) level.value = found.amount
}
function grab(event: PointerEvent): void {
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
  drag(event)
}
function step(by: number): void {
  const place = props.levels.findIndex((known) => known.amount >= level.value - 1e-9)
  const next = props.levels[Math.max(0, Math.min(props.levels.length - 1, place + by))]
  if (next) level.value = next.amount
}
</script>

<template>
  <svg
    ref="svg"
    :width="width"
    :height="height"
    role="group"
    :aria-label="`hours of a month by ${unit} in use`"
    @pointerdown="grab"
    @pointermove="drag"
  >
    <g v-for="tick in picture.up" :key="tick.amount">
      <line :x1="LEFT" :x2="width - RIGHT" :y1="tick.at" :y2="tick.at" class="grid" />
      <text :x="LEFT - 5" :y="tick.at + 4" class="end">{{ short(tick.amount) }}</text>
    </g>
    <text v-for="tick in picture.across" :key="tick.hours" :x="tick.at" :y="height - 6" class="middle">{{ tick.hours }} h</text>
    <path :d="picture.covered" class="covered"><title>committed and used</title></path>
    <path :d="picture.unused" class="unused"><title>committed and not used</title></path>
    <path :d="picture.onDemand" class="on-demand"><title>on demand</title></path>
    <path :d="picture.outline" class="outline" />
    <g
      class="line"
      role="slider"
      tabindex="0"
      aria-orientation="vertical"
      aria-label="committed level"
      :aria-valuemin="levels[0]?.amount ?? 0"
      :aria-valuemax="levels.at(-1)?.amount ?? 0"
      :aria-valuenow="level"
      :aria-valuetext="words"
      @keydown.up.prevent="step(1)"
      @keydown.right.prevent="step(1)"
      @keydown.down.prevent="step(-1)"
      @keydown.left.prevent="step(-1)"
    >
      <line :x1="LEFT" :x2="width - RIGHT" :y1="picture.line" :y2="picture.line" />
      <path :d="`M${width - RIGHT} ${picture.line - 7}l7 7-7 7-7-7z`" />
      <text :x="LEFT + 6" :y="picture.line > 26 ? picture.line - 5 : picture.line + 14">{{ short(level) }} {{ unit }} committed</text>
    </g>
    <text :x="width - RIGHT" :y="height - BOTTOM - 5" class="end quiet">hours, the busiest first</text>
  </svg>
</template>

<style scoped>
svg {
  display: block;
  touch-action: none;
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
.quiet {
  fill: var(--quiet);
}
.grid {
  stroke: var(--line);
}
.covered {
  fill: var(--petrol);
  opacity: 0.5;
}
.unused {
  fill: var(--madder);
  opacity: 0.22;
}
.on-demand {
  fill: var(--petrol);
  opacity: 0.16;
}
.outline {
  fill: none;
  stroke: var(--petrol);
}
.line {
  cursor: ns-resize;
}
.line line {
  stroke: var(--madder);
  stroke-width: 2;
}
.line path {
  fill: var(--madder);
}
.line text {
  fill: var(--madder);
  paint-order: stroke;
  stroke: var(--panel);
  stroke-width: 3px;
}
.line:focus-visible {
  outline: 2px solid var(--ink);
  outline-offset: 2px;
}
</style>
