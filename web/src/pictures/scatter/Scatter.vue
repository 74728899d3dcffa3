<script setup lang="ts">
import { computed } from 'vue'
import type { MatrixType, Workload } from '../../api/client'
import { frame, layout } from './layout'

/** Requests by CPU and memory, with the slope of each instance family: off every line, capacity is stranded. */
const props = defineProps<{ rows: Workload[]; types: MatrixType[]; level: string; width: number; height: number; chosen: string | null }>()
const emit = defineEmits<{ choose: [key: string] }>()
const drawn = computed(() => layout(props.rows, props.types, props.level, props.width, props.height))
</script>

<template>
  <svg :width="width" :height="height" role="img" aria-labelledby="scatter-title scatter-words">
    <title id="scatter-title">Requests by CPU and memory</title>
    <desc id="scatter-words">
      Each dot is a workload, its size the replicas. Lines show how much memory the nodes of each family have for each vCPU.
    </desc>
    <g class="axes">
      <line v-for="tick in drawn.across" :key="`x${tick.text}`" :x1="tick.at" :x2="tick.at" :y1="frame.top" :y2="height - frame.bottom" />
      <line v-for="tick in drawn.up" :key="`y${tick.text}`" :x1="frame.left" :x2="width - frame.right" :y1="tick.at" :y2="tick.at" />
      <text v-for="tick in drawn.across" :key="`tx${tick.text}`" :x="tick.at" :y="height - frame.bottom + 12" text-anchor="middle">
        {{ tick.text }}
      </text>
      <text v-for="tick in drawn.up" :key="`ty${tick.text}`" :x="frame.left - 5" :y="tick.at + 3" text-anchor="end">{{ tick.text }}</text>
      <text :x="width - frame.right" :y="height - 2" text-anchor="end">vCPU a replica</text>
      <text :x="2" :y="frame.top + 2">GiB</text>
    </g>
    <g v-for="(ray, place) in drawn.rays" :key="ray.family">
      <line
        :x1="frame.left"
        :y1="height - frame.bottom"
        :x2="ray.x"
        :y2="ray.y"
        :stroke="ray.hue"
        stroke-width="1.4"
        stroke-dasharray="6 3"
      />
      <text :x="width - frame.right" :y="height - frame.bottom - 8 - 14 * place" :fill="ray.hue" text-anchor="end" class="family">
        {{ ray.family }} 1:{{ ray.gibPerVcpu.toFixed(1) }}
      </text>
    </g>
    <path v-if="drawn.whole" :d="`M${drawn.whole.x} ${drawn.whole.y - 8}l6 8-6 8-6-8z`" class="whole">
      <title>all requests together: 1 vCPU to {{ drawn.whole.gibPerVcpu.toFixed(1) }} GiB</title>
    </path>
    <circle
      v-for="dot in drawn.dots"
      :key="dot.key"
      :cx="dot.x"
      :cy="dot.y"
      :r="dot.radius"
      class="dot"
      :class="{ chosen: dot.key === chosen }"
      @click="emit('choose', dot.key)"
    >
      <title>{{ dot.words }}</title>
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
.family {
  font-size: 11px;
  font-weight: 600;
  paint-order: stroke;
  stroke: var(--paper);
  stroke-width: 3px;
}
.dot {
  fill: var(--ink);
  fill-opacity: 0.42;
  stroke: var(--paper);
  cursor: pointer;
}
.dot:hover,
.dot.chosen {
  fill: var(--madder);
  fill-opacity: 0.9;
}
.whole {
  fill: none;
  stroke: var(--madder);
  stroke-width: 2;
}
</style>
