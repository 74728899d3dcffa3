<script setup lang="ts">
import { computed } from 'vue'
import type { Journey } from '../../api/availability'
import { felt } from '../../domain/minutes'
import { percent } from '../../domain/format'
import { chainLayout } from './layout'

/** A journey as a chain of diamonds; each fills with its own share of the loss. */
const props = defineProps<{ journey: Journey; chosen: string | null }>()
const emit = defineEmits<{ choose: [name: string] }>()
const picture = computed(() => chainLayout(props.journey.structure, props.journey.links))
const STEP = 74
const ROW = 112
const HALF = 15
const TALL = 24
const EDGE = 33
const x = (column: number) => 40 + column * STEP
const y = (row: number) => 42 + row * ROW
const size = computed(() => [x(picture.value.columns - 1) + 44, y(picture.value.rows - 1) + 64] as const)

function romb(column: number, row: number): string {
  return `M${x(column)} ${y(row) - TALL}l${HALF} ${TALL}l${-HALF} ${TALL}l${-HALF} ${-TALL}z`
}
function told(link: (typeof picture.value.links)[number]): string {
  return `${link.name}: ${felt(link.minutes)} a month would go if it never failed, ${percent(link.share)} of what single links bring`
}
</script>

<template>
  <svg :viewBox="`0 0 ${size[0]} ${size[1]}`" role="group" :aria-label="`the chain of ${journey.name}`" :width="size[0]" :height="size[1]">
    <title>The chain of {{ journey.name }}, each link filled by its share of the loss</title>
    <defs>
      <clipPath v-for="link in picture.links" :id="`chain-${link.column}-${link.row}`" :key="link.name">
        <path :d="romb(link.column, link.row)" />
      </clipPath>
    </defs>
    <line :x1="x(0) - 36" :x2="x(0)" :y1="y((picture.rows - 1) / 2)" :y2="y((picture.rows - 1) / 2)" class="line" />
    <line
      v-for="(line, place) in picture.lines"
      :key="place"
      :x1="x(line.from) + (line.opens ? EDGE : 0)"
      :y1="y(line.row)"
      :x2="x(line.to) - (line.closes ? EDGE : 0)"
      :y2="y(line.row)"
      class="line"
    />
    <g v-for="bracket in picture.brackets" :key="`${bracket.from} ${bracket.top}`">
      <path
        :d="`M${x(bracket.from)} ${y(bracket.top)}H${x(bracket.from) - EDGE}V${y(bracket.bottom)}H${x(bracket.from)}M${x(bracket.to)} ${y(bracket.top)}H${x(bracket.to) + EDGE}V${y(bracket.bottom)}H${x(bracket.to)}`"
        class="line"
      />
      <text :x="x(bracket.from) - EDGE" :y="y(bracket.top) - 6" class="of">{{ bracket.words }}</text>
    </g>
    <g
      v-for="link in picture.links"
      :key="link.name"
      class="link"
      :class="{ chosen: link.name === chosen }"
      tabindex="0"
      role="button"
      :aria-label="told(link)"
      :aria-pressed="link.name === chosen"
      @click="emit('choose', link.name)"
      @keydown.enter="emit('choose', link.name)"
      @keydown.space.prevent="emit('choose', link.name)"
    >
      <title>{{ told(link) }}</title>
      <g :clip-path="`url(#chain-${link.column}-${link.row})`">
        <rect :x="x(link.column) - HALF" :y="y(link.row) - TALL" :width="2 * HALF" :height="2 * TALL" class="ground" />
        <rect
          :x="x(link.column) - HALF"
          :y="y(link.row) + TALL - 2 * TALL * link.share"
          :width="2 * HALF"
          :height="2 * TALL * link.share"
          class="loss"
        />
      </g>
      <path :d="romb(link.column, link.row)" class="edge" :class="{ outside: link.outside }" />
      <text :x="x(link.column)" :y="y(link.row) - TALL - 5" class="minutes">{{ link.minutes >= 0.0005 ? felt(link.minutes) : '–' }}</text>
      <text :x="x(link.column)" :y="y(link.row) + TALL + 13" class="space">{{ link.first || 'needs' }}</text>
      <text :x="x(link.column)" :y="y(link.row) + TALL + 26" class="own">
        {{ link.second.length > 13 && link.second.includes(' ') ? link.second.split(' ')[0] : link.second }}
      </text>
      <text v-if="link.second.length > 13 && link.second.includes(' ')" :x="x(link.column)" :y="y(link.row) + TALL + 38" class="own">
        {{ link.second.split(' ').slice(1).join(' ') }}
      </text>
    </g>
  </svg>
</template>

<style scoped>
svg {
  display: block;
}
.line {
  stroke: var(--quiet);
  stroke-width: 1.5;
  fill: none;
}
.ground {
  fill: var(--panel);
}
.loss {
  fill: var(--madder);
}
.edge {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.3;
}
.edge.outside {
  stroke-dasharray: 4 2;
}
.link {
  cursor: pointer;
}
.link:hover .edge,
.link.chosen .edge {
  stroke-width: 2.6;
}
.link:focus {
  outline: none;
}
.link:focus-visible .edge {
  stroke: var(--madder);
  stroke-width: 3;
}
text {
  text-anchor: middle;
  font-size: 11px;
  fill: var(--ink);
}
.space {
  fill: var(--quiet);
  font-size: 11px;
}
.own {
  font-weight: 600;
  font-size: 11px;
}
.minutes {
  font-variant-numeric: tabular-nums;
  font-size: 11px;
}
.of {
  fill: var(--quiet);
  font-size: 11px;
  text-anchor: middle;
}
.chosen .own {
  fill: var(--madder);
}
</style>
