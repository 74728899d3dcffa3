<script setup lang="ts">
import { computed } from 'vue'
import type { Column } from '../../api/comparison'
import { poolHues } from '../../theme/tokens'
import { LABEL, layoutBeside, rombAt, ROW } from './layout'

/** The nodes of each plan over each other, zone by zone; what only one of them has is picked out against the first. */
const props = defineProps<{ columns: Column[] }>()
const shown = computed(() => layoutBeside(props.columns, poolHues))
</script>

<template>
  <div class="scroll" :style="{ minHeight: `${shown.height + 6}px` }" tabindex="0" aria-label="nodes of each plan by zone">
    <svg :width="shown.width" :height="shown.height" role="img" aria-labelledby="beside-title beside-text">
      <title id="beside-title">Nodes of each plan by zone and pool</title>
      <desc id="beside-text">
        A band for each zone, in it a row for each plan and a diamond for each node: filled as in the first plan, ringed where it is one
        more, dashed where it is one fewer. The table after the picture says the same.
      </desc>
      <g v-for="band in shown.bands" :key="band.zone">
        <path
          class="lane"
          :d="`M0.5 ${band.y + 0.5}H${shown.width - 12}L${shown.width - 0.5} ${band.y + 12}V${band.y + band.height}H0.5Z`"
        />
        <text class="zone" x="8" :y="band.y + 15">{{ band.zone }}</text>
        <template v-for="pool in band.rows[0]?.pools ?? []" :key="pool.pool">
          <text class="pool" :x="pool.x" :y="band.y + 14" :fill="pool.hue">{{ pool.pool }}</text>
        </template>
        <g v-for="row in band.rows" :key="row.key">
          <text class="plan" x="8" :y="row.y + ROW / 2 + 4">{{ row.name.length > 22 ? `${row.name.slice(0, 21)}…` : row.name }}</text>
          <text class="count" :x="LABEL - 12" :y="row.y + ROW / 2 + 4">{{ row.nodes }}</text>
          <g v-for="pool in row.pools" :key="pool.pool">
            <title>{{ row.name }}: {{ pool.count }} {{ pool.pool }} in {{ band.zone }}</title>
            <polygon
              v-for="(mark, number) in pool.marks"
              :key="number"
              :points="rombAt(mark.x, mark.y)"
              :fill="mark.kind === 'fewer' ? 'none' : pool.hue"
              :class="mark.kind"
            />
            <text v-if="pool.heap" class="count heap" :x="(pool.marks.at(-1)?.x ?? pool.x) + 9" :y="row.y + ROW / 2 + 4">
              {{ pool.count }}
            </text>
          </g>
        </g>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.scroll {
  overflow-x: auto;
}
.lane {
  fill: var(--panel);
  stroke: var(--line);
}
text {
  fill: var(--ink);
  font-size: 11px;
}
.zone {
  font-weight: 650;
}
.pool {
  fill: var(--quiet);
  font-size: 10px;
}
.count {
  text-anchor: end;
  font-variant-numeric: tabular-nums;
  fill: var(--quiet);
}
.heap {
  text-anchor: start;
}
.more {
  stroke: var(--ink);
  stroke-width: 2;
}
.fewer {
  stroke: var(--madder);
  stroke-width: 1.4;
  stroke-dasharray: 2.5 2;
}
</style>
