<script setup lang="ts">
import { computed } from 'vue'
import type { Fit, FitNode } from '../../api/client'
import { money, percent } from '../../domain/format'
import { poolName } from '../../domain/nodes'
import { poolHues } from '../../theme/tokens'
import { FOOT, layoutLanes, standing, type Romb } from './layout'

const props = withDefaults(
  defineProps<{
    fit: Fit
    width: number
    height: number
    /** The zone shown as lost. */
    lost?: string | null
    /** The workload whose replicas light up. */
    lit?: string | null
    /** The node whose contents are shown. */
    chosen?: number | null
  }>(),
  { lost: null, lit: null, chosen: null },
)
const emit = defineEmits<{ lose: [zone: string | null]; choose: [node: number | null]; drill: [zone: string] }>()

const lanes = computed(() => layoutLanes(props.fit, props.width, props.height, props.lost, poolHues))
const arrivals = computed(() => {
  const zone = props.lost
  if (!zone) return 0
  return props.fit.nodes.reduce((sum, node) => sum + node.count * Object.values(node.landing[zone] ?? {}).reduce((a, b) => a + b, 0), 0)
})

function words(node: FitNode): string {
  const share = (name: string) => percent((node.requested[name] ?? 0) / (node.usable[name] || 1), 0)
  return `${poolName(node)} in ${node.zone}, node ${node.number}: CPU ${share('cpu_millicores')}, memory ${share('memory_bytes')}, ${standing(node)} replicas`
}

function carriesLit(romb: Romb): boolean {
  return props.lit !== null && (romb.node.replicas[props.lit] ?? 0) > 0
}

/** How many new nodes come to a zone, or to all, when the zone shown is lost. */
function coming(zone: string | null): number {
  const nodes = props.fit.growth[props.lost ?? '']?.nodes ?? []
  return nodes.reduce((sum, entry) => sum + (zone === null || entry.zone === zone ? entry.count : 0), 0)
}

function lossWords(zone: string, replicas: number): string {
  if (props.fit.survive_zone === 'none') return `dark: ${replicas} replicas are gone until ${zone} is back`
  if (props.fit.survive_zone === 'standing') return `dark: ${replicas} replicas gone, enough stand elsewhere`
  if (props.fit.survive_zone === 'growing') return `dark: the promised ones of ${replicas} replicas wait for ${coming(null)} new nodes`
  return `dark: ${arrivals.value} of ${replicas} replicas land elsewhere`
}
</script>

<template>
  <svg :width="width" :height="height" :viewBox="`0 0 ${width} ${height}`" role="group" aria-labelledby="lanes-title lanes-text">
    <title id="lanes-title">Nodes by zone and pool</title>
    <desc id="lanes-text">
      One lane for each zone, one diamond for each node: left half CPU requested, right half memory. The table after the picture says the
      same.
    </desc>
    <g v-for="lane in lanes" :key="lane.zone">
      <path
        class="lane"
        :class="{ lost: lane.lost }"
        :d="`M0.5 ${lane.y + 0.5}H${width - 13}L${width - 0.5} ${lane.y + 13}V${lane.y + lane.height}H0.5Z`"
      />
      <g
        class="head"
        role="button"
        tabindex="0"
        :aria-pressed="lane.lost"
        :aria-label="`lose ${lane.zone}; Enter drills it`"
        @mouseenter="emit('lose', lane.zone)"
        @mouseleave="emit('lose', null)"
        @focus="emit('lose', lane.zone)"
        @blur="emit('lose', null)"
        @click="emit('drill', lane.zone)"
        @keydown.enter="emit('drill', lane.zone)"
      >
        <rect x="1" :y="lane.y + 1" :width="width - 16" height="26" fill="transparent" />
        <text class="zone" x="14" :y="lane.y + 20">{{ lane.zone }}</text>
        <text v-if="lane.lost" class="loss" :x="26 + lane.zone.length * 8" :y="lane.y + 20">{{ lossWords(lane.zone, lane.replicas) }}</text>
        <text v-else class="small" :x="26 + lane.zone.length * 8" :y="lane.y + 20">
          {{ lane.nodes }} nodes · {{ lane.replicas }} replicas
          <tspan v-if="lost && coming(lane.zone)" class="loss">· {{ coming(lane.zone) }} new nodes come</tspan>
        </text>
        <text class="small end" :x="width - 20" :y="lane.y + 20">{{ money(lane.cost) }} {{ fit.currency }}</text>
      </g>
      <g
        v-for="romb in lane.rombs"
        :key="romb.node.number"
        class="romb"
        role="button"
        tabindex="0"
        :class="{ dim: lane.lost || (lit !== null && !carriesLit(romb)), lit: carriesLit(romb), chosen: chosen === romb.node.number }"
        :aria-label="words(romb.node)"
        @click="emit('choose', romb.node.number)"
        @keydown.enter="emit('choose', romb.node.number)"
      >
        <title>{{ words(romb.node) }}</title>
        <polygon :points="romb.outline" class="ground" />
        <polygon v-if="lost && !lane.lost && romb.leftArriving" :points="romb.leftArriving" class="arriving" />
        <polygon v-if="lost && !lane.lost && romb.rightArriving" :points="romb.rightArriving" class="arriving light" />
        <polygon v-if="romb.left" :points="romb.left" :fill="romb.hue" />
        <polygon v-if="romb.right" :points="romb.right" :fill="romb.hue" opacity="0.55" />
        <polygon :points="romb.outline" class="outline" :stroke="romb.hue" />
        <line :x1="romb.x" :x2="romb.x" :y1="romb.y" :y2="romb.y + romb.height" class="middle" />
        <circle v-if="romb.binding" :cx="romb.x" :cy="romb.y" r="2.5" :fill="romb.hue" />
        <text v-if="carriesLit(romb)" class="tally" :x="romb.x" :y="romb.y + romb.height / 2 + 4">{{ romb.node.replicas[lit ?? ''] }}</text>
      </g>
      <g v-for="heap in lane.heaps" :key="heap.pool" :class="{ dim: lane.lost }">
        <polygon :points="heap.outline" class="ground" />
        <polygon :points="heap.left" :fill="heap.hue" />
        <polygon :points="heap.right" :fill="heap.hue" opacity="0.55" />
        <polygon :points="heap.outline" class="outline" :stroke="heap.hue" />
        <text class="zone" :x="heap.x + 38" :y="heap.y + 52">× {{ heap.count }}</text>
      </g>
      <text
        v-for="label in lane.labels"
        :key="label.name"
        class="pool"
        :class="{ none: label.count === 0 }"
        :x="label.x"
        :y="lane.y + lane.height - FOOT + 12"
      >
        <tspan :fill="label.count ? label.hue : undefined" class="name">{{ label.name }}</tspan>
        <tspan dx="6">{{ label.count || '–' }}</tspan>
      </text>
    </g>
  </svg>
</template>

<style scoped>
.lane {
  fill: var(--panel);
  stroke: var(--line);
}
.lane.lost {
  fill: var(--wash);
}
.head {
  cursor: pointer;
}
text {
  fill: var(--ink);
  font:
    12px 'Public Sans Variable',
    sans-serif;
  font-variant-numeric: tabular-nums;
}
.zone {
  font-size: 14px;
  font-weight: 680;
}
.small {
  fill: var(--quiet);
}
.loss {
  fill: var(--madder);
  font-weight: 560;
}
.end {
  text-anchor: end;
}
.ground {
  fill: var(--paper);
}
.outline {
  fill: none;
  stroke-width: 1.4;
}
.middle {
  stroke: var(--panel);
  stroke-width: 0.8;
}
.arriving {
  fill: var(--madder);
  opacity: 0.75;
}
.arriving.light {
  opacity: 0.45;
}
.romb {
  cursor: pointer;
  transition: opacity 120ms;
}
.dim {
  opacity: 0.22;
}
.lit .outline {
  stroke-width: 2.6;
}
.chosen .outline {
  stroke: var(--ink);
  stroke-width: 3;
}
.tally {
  text-anchor: middle;
  font-weight: 700;
  paint-order: stroke;
  stroke: var(--panel);
  stroke-width: 3px;
}
.pool .name {
  font-weight: 620;
}
.pool.none {
  opacity: 0.45;
}
</style>
