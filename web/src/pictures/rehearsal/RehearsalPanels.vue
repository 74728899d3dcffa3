<script setup lang="ts">
import { computed, ref } from 'vue'
import { ticks } from 'd3-array'
import { across, AXIS, layoutPanels, LEFT, RIGHT, timeTicks, type Drawn, type Limit, type Panel } from './layout'

/** Panels on one axis of time: dragging across zooms, a click chooses a moment, limit lines are dragged or moved by arrow keys. */
const props = defineProps<{
  panels: Panel[]
  startS: number
  sampleS: number
  samples: number
  moment: number | null
  mayEdit: boolean
  width: number
  height: number
}>()
const emit = defineEmits<{ moment: [at: number | null]; limit: [name: Limit['name'], at: number] }>()
/** The time that is shown, seconds from the start: from and to. */
const span = defineModel<[number, number]>('span', { required: true })

const x = computed(() => across(span.value[0], span.value[1], props.width))
const seen = computed<[number, number]>(() => {
  const last = Math.max(0, props.samples - 1)
  const place = (at: number) => Math.max(0, Math.min(last, Math.floor(at / props.sampleS)))
  return [place(span.value[0]), place(span.value[1] - 1)]
})
const drawn = computed(() => layoutPanels(props.panels, seen.value, props.sampleS, x.value, props.height))
const axis = computed(() => timeTicks(props.startS, span.value[0], span.value[1]))
const bottom = computed(() => props.height - AXIS)

/** Where a drag began and where it is, pixels from the left; null: nothing is dragged. */
const dragged = ref<{ from: number; to: number } | null>(null)
function left(event: PointerEvent): number {
  const box = (event.currentTarget as Element).getBoundingClientRect()
  return Math.max(LEFT, Math.min(props.width - RIGHT, event.clientX - box.left))
}
function begin(event: PointerEvent): void {
  const at = left(event)
  dragged.value = { from: at, to: at }
  ;(event.currentTarget as Element).setPointerCapture(event.pointerId)
}
function move(event: PointerEvent): void {
  if (dragged.value) dragged.value = { ...dragged.value, to: left(event) }
}
function end(): void {
  if (!dragged.value) return
  const [from, to] = [dragged.value.from, dragged.value.to].sort((one, other) => one - other) as [number, number]
  dragged.value = null
  // A few pixels are a click that was not held still.
  if (to - from < 5) emit('moment', Math.round(x.value.invert(from)))
  else span.value = [Math.max(0, Math.round(x.value.invert(from))), Math.round(x.value.invert(to))]
}
function whole(): void {
  span.value = [0, props.samples * props.sampleS]
  // Its first click chose a moment that nobody asked for.
  emit('moment', null)
}

/** A limit that is dragged: its panel, and where it would stand. */
const pulled = ref<{ name: Limit['name']; at: number } | null>(null)
function pull(event: PointerEvent, entry: Drawn, limit: Limit): void {
  if (!props.mayEdit) return
  event.stopPropagation()
  const line = event.currentTarget as Element
  const box = line.closest('svg')?.getBoundingClientRect()
  line.setPointerCapture(event.pointerId)
  const follow = (moved: Event) => {
    const at = Math.round(entry.y.invert((moved as PointerEvent).clientY - (box?.top ?? 0)))
    pulled.value = { name: limit.name, at: Math.max(0, at) }
  }
  const drop = () => {
    line.removeEventListener('pointermove', follow)
    line.removeEventListener('pointerup', drop)
    if (pulled.value && pulled.value.at !== limit.at) emit('limit', limit.name, pulled.value.at)
    pulled.value = null
  }
  line.addEventListener('pointermove', follow)
  line.addEventListener('pointerup', drop)
}
function nudge(event: KeyboardEvent, limit: Limit): void {
  const by = { ArrowUp: 1, ArrowDown: -1 }[event.key]
  if (!by || !props.mayEdit) return
  event.preventDefault()
  event.stopPropagation()
  emit('limit', limit.name, Math.max(0, limit.at + by))
}
/** Steps of a panel's scale; nodes are whole. */
function stepsOf(entry: Drawn): number[] {
  const steps = ticks(0, entry.y.domain()[1] ?? 1, entry.height > 80 ? 4 : 2)
  return entry.panel.limits.length ? steps.filter(Number.isInteger) : steps
}
const levelOf = (entry: Drawn, limit: Limit) => entry.y(pulled.value?.name === limit.name ? pulled.value.at : limit.at)
</script>

<template>
  <svg
    :width="width"
    :height="props.height"
    role="group"
    aria-label="demand, waiting, nodes and cost through time; a table stands below"
    @pointerdown="begin"
    @pointermove="move"
    @pointerup="end"
    @dblclick="whole"
  >
    <clipPath id="rehearsed-time"><rect :x="LEFT" y="0" :width="Math.max(0, width - LEFT - RIGHT)" :height="props.height" /></clipPath>
    <g v-for="entry in drawn" :key="entry.panel.title">
      <rect class="ground" :x="LEFT" :y="entry.top" :width="width - LEFT - RIGHT" :height="entry.height" />
      <g class="axes">
        <template v-for="step in stepsOf(entry)" :key="step">
          <line :x1="LEFT" :x2="width - RIGHT" :y1="entry.y(step)" :y2="entry.y(step)" />
          <text :x="LEFT - 5" :y="entry.y(step) + 4" text-anchor="end">{{ Number(step.toPrecision(3)) }}</text>
        </template>
      </g>
      <template v-for="shape in entry.paths" :key="shape.line.name">
        <path
          v-if="shape.line.kind === 'waiting' || shape.line.kind === 'served'"
          :d="shape.filled"
          clip-path="url(#rehearsed-time)"
          class="fill"
          :class="shape.line.kind"
        />
        <path :d="shape.d" clip-path="url(#rehearsed-time)" class="line" :class="shape.line.kind" />
      </template>
      <g v-for="limit in entry.panel.limits" :key="limit.name" class="limit" :class="{ free: mayEdit }">
        <line :x1="LEFT" :x2="width - RIGHT" :y1="levelOf(entry, limit)" :y2="levelOf(entry, limit)" />
        <rect
          class="grip"
          :x="LEFT"
          :y="levelOf(entry, limit) - 6"
          :width="width - LEFT - RIGHT"
          height="12"
          role="slider"
          :tabindex="mayEdit ? 0 : -1"
          :aria-label="`${limit.name} nodes`"
          :aria-valuenow="limit.at"
          :aria-readonly="!mayEdit"
          @pointerdown="pull($event, entry, limit)"
          @keydown="nudge($event, limit)"
        />
        <text
          :x="width - RIGHT - 4"
          :y="levelOf(entry, limit) + (limit.name === 'most' || levelOf(entry, limit) > entry.top + entry.height - 14 ? -4 : 12)"
          text-anchor="end"
        >
          {{ limit.name }} {{ pulled?.name === limit.name ? pulled.at : limit.at }}
        </text>
      </g>
      <text class="title" :x="LEFT + 6" :y="entry.top + 12">
        {{ entry.panel.title }}
        <tspan class="unit">{{ entry.panel.unit }}</tspan>
      </text>
    </g>
    <g class="axes">
      <text v-for="tick in axis" :key="tick.at" :x="x(tick.at)" :y="props.height - 6" text-anchor="middle">{{ tick.text }}</text>
    </g>
    <line v-if="moment !== null" class="now" :x1="x(moment)" :x2="x(moment)" y1="0" :y2="bottom" />
    <rect
      v-if="dragged"
      class="drag"
      :x="Math.min(dragged.from, dragged.to)"
      y="0"
      :width="Math.abs(dragged.to - dragged.from)"
      :height="bottom"
    />
  </svg>
</template>

<style scoped>
svg {
  display: block;
  cursor: crosshair;
  touch-action: none;
  user-select: none;
}
.ground {
  fill: var(--panel);
  stroke: var(--line);
}
.axes line {
  stroke: var(--line);
}
.axes text,
.title,
.limit text {
  font-size: 11px;
  fill: var(--quiet);
  font-variant-numeric: tabular-nums;
}
.title,
.limit text {
  fill: var(--ink);
  paint-order: stroke;
  stroke: var(--panel);
  stroke-width: 3px;
}
.title {
  font-weight: 560;
}
.unit {
  font-weight: 400;
  fill: var(--quiet);
}
.line {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.2;
}
.line.asked {
  stroke: var(--madder);
}
.line.served,
.line.nodes {
  stroke: var(--petrol);
}
.line.nodes {
  stroke-width: 1.8;
}
.line.before {
  stroke: var(--quiet);
  stroke-dasharray: 4 3;
}
.fill {
  stroke: none;
  opacity: 0.22;
  fill: var(--petrol);
}
.fill.waiting {
  fill: var(--madder);
  opacity: 0.35;
}
.limit line {
  stroke: var(--ink);
  stroke-dasharray: 7 3;
  stroke-width: 1.2;
}
.grip {
  fill: transparent;
}
.free .grip {
  cursor: ns-resize;
}
.grip:focus-visible {
  outline: none;
  stroke: var(--madder);
  stroke-width: 2;
}
.now {
  stroke: var(--ink);
  stroke-width: 1.6;
  pointer-events: none;
}
.drag {
  fill: var(--madderWash);
  opacity: 0.6;
  pointer-events: none;
}
</style>
