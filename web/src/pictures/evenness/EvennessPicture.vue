<script setup lang="ts">
import { computed } from 'vue'
import { percent } from '../../domain/format'
import { spread, type Fullness } from './layout'

/** How full nodes are, a line a zone and a tick a node; the table behind it names them. */
const props = defineProps<{ full: Fullness[]; zones: string[] }>()
const all = computed(() => spread(props.full))
const width = 264
const x = (share: number) => 52 + Math.min(1, share) * (width - 58)
</script>

<template>
  <svg v-if="all" :width="width" :height="zones.length * 20 + 16" role="img" aria-labelledby="even-title even-text">
    <title id="even-title">how full nodes are</title>
    <desc id="even-text">from {{ percent(all.least, 0) }} to {{ percent(all.most, 0) }}, {{ percent(all.mean, 0) }} on average</desc>
    <rect
      :x="x(all.mean - all.deviation)"
      y="0"
      :width="Math.max(1, x(all.mean + all.deviation) - x(all.mean - all.deviation))"
      :height="zones.length * 20"
      class="around"
    />
    <g v-for="(zone, place) in zones" :key="zone">
      <text x="0" :y="place * 20 + 14">{{ zone }}</text>
      <line :x1="x(0)" :x2="x(1)" :y1="place * 20 + 10" :y2="place * 20 + 10" class="axis" />
      <line
        v-for="entry in full.filter((own) => own.zone === zone)"
        :key="entry.node"
        :x1="x(entry.share)"
        :x2="x(entry.share)"
        :y1="place * 20 + 3"
        :y2="place * 20 + 17"
        class="tick"
      >
        <title>{{ entry.name }} {{ entry.node }}: {{ percent(entry.share) }}</title>
      </line>
    </g>
    <text
      v-for="end in [0, 0.5, 1]"
      :key="end"
      :x="x(end)"
      :y="zones.length * 20 + 13"
      :text-anchor="end === 1 ? 'end' : 'middle'"
      class="end"
    >
      {{ percent(end, 0) }}
    </text>
  </svg>
</template>

<style scoped>
text {
  font-size: 11px;
  fill: var(--quiet);
}
.axis {
  stroke: var(--line);
}
.tick {
  stroke: var(--petrol);
  stroke-width: 2;
}
.around {
  fill: var(--wash);
}
</style>
