<script setup lang="ts">
import { computed } from 'vue'
import type { Moment } from '../../domain/drill'
import { plural } from '../../domain/format'
import { boxPath, layoutDrill, markPath, perMark } from './layout'

/** What stands where at a moment of a drill: lanes of zones, boxes of nodes, marks of replicas; `fullest`: the most that a node ever carries. */
const props = defineProps<{ moment: Moment; fullest: number; zones: string[]; width: number; height: number }>()
const each = computed(() => perMark(props.fullest))
const lanes = computed(() => layoutDrill(props.zones, props.moment.nodes, props.width, props.height, each.value))

function sum(zone: string): { serving: number; lost: number; starting: number } {
  const own = props.moment.nodes.filter((node) => node.zone === zone)
  const total = (pick: (node: (typeof own)[number]) => number) => own.reduce((all, node) => all + pick(node), 0)
  return {
    serving: total((node) => node.counts.serving + node.counts.landed),
    lost: total((node) => node.counts.lost),
    starting: total((node) => node.counts.starting),
  }
}
function words(zone: string): string {
  const { serving, lost, starting } = sum(zone)
  return [`${serving} serving`, starting ? `${starting} starting` : '', lost ? `${lost} lost` : ''].filter(Boolean).join(' · ')
}
</script>

<template>
  <svg :width="width" :height="height" :viewBox="`0 0 ${width} ${height}`" role="img" aria-labelledby="drill-title drill-text">
    <title id="drill-title">Replicas by zone and node at this moment</title>
    <desc id="drill-text">A square serves, a diamond has landed and serves, a triangle starts, a cross is lost with its node.</desc>
    <g v-for="lane in lanes" :key="lane.zone">
      <path class="lane" :d="`M0.5 ${lane.y + 0.5}H${width - 13}L${width - 0.5} ${lane.y + 13}V${lane.y + lane.height}H0.5Z`" />
      <text class="zone" x="12" :y="lane.y + 18">{{ lane.zone }}</text>
      <text class="small" :x="24 + lane.zone.length * 8" :y="lane.y + 18">{{ words(lane.zone) }}</text>
      <text v-if="lane.more" class="small end" :x="width - 20" :y="lane.y + 18">{{ plural(lane.more, 'more node') }}</text>
      <g v-for="box in lane.boxes" :key="box.node.number">
        <title>{{ box.node.name }}: {{ box.node.state }}</title>
        <path :d="boxPath(box)" class="node" :class="box.node.state" />
        <path v-for="(mark, place) in box.marks" :key="place" :d="markPath(mark.standing, mark.x, mark.y)" :class="mark.standing" />
      </g>
    </g>
  </svg>
  <p class="key quiet">
    <svg width="12" height="12" aria-hidden="true"><path :d="markPath('serving', 6, 6)" class="serving" /></svg> serving
    <svg width="12" height="12" aria-hidden="true"><path :d="markPath('landed', 6, 6)" class="landed" /></svg> landed
    <svg width="12" height="12" aria-hidden="true"><path :d="markPath('starting', 6, 6)" class="starting" /></svg> starting
    <svg width="12" height="12" aria-hidden="true"><path :d="markPath('lost', 6, 6)" class="lost" /></svg> lost
    <span v-if="each > 1"> · a mark stands for up to {{ each }} replicas</span>
    <strong v-if="moment.waiting" class="madder"> · {{ plural(moment.waiting, 'replica') }} waiting for a node</strong>
  </p>
</template>

<style scoped>
.lane {
  fill: var(--panel);
  stroke: var(--line);
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
.end {
  text-anchor: end;
}
.node {
  fill: var(--paper);
  stroke: var(--quiet);
}
.node.dark {
  fill: var(--wash);
  stroke-dasharray: 2 3;
}
.node.cordoned {
  stroke: var(--amber);
  stroke-width: 2;
}
.serving {
  fill: var(--petrol);
}
.landed {
  fill: var(--moss);
}
.starting {
  fill: none;
  stroke: var(--amber);
  stroke-width: 1.4;
}
.lost {
  fill: none;
  stroke: var(--madder);
  stroke-width: 1.8;
}
.key {
  display: flex;
  align-items: center;
  gap: 5px;
  font-size: 12px;
  height: 22px;
  white-space: nowrap;
  overflow: hidden;
}
</style>
