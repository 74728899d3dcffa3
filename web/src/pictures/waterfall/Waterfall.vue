<script setup lang="ts">
import { computed } from 'vue'
import type { TypeDetail } from '../../api/client'
import { fall } from './layout'

/** From what a node has to what pods can use, step by step; a table of the same stands behind it. */
const props = defineProps<{
  detail: TypeDetail
  resource: 'cpu_millicores' | 'memory_bytes'
  title: string
  show: (amount: number) => string
}>()
const picture = computed(() => fall(props.detail, props.resource))
const bars = computed(() => picture.value.bars)
const LINE = 17
const LABEL = 122
const WIDTH = 134
</script>

<template>
  <figure>
    <figcaption>{{ title }}</figcaption>
    <svg
      :viewBox="`0 0 ${LABEL + WIDTH + 62} ${bars.length * LINE + 2}`"
      role="img"
      :aria-label="`${title}: ${bars.map((bar) => `${bar.name} ${show(bar.amount)}`).join(', ')}`"
    >
      <g v-for="(bar, place) in bars" :key="bar.name" :transform="`translate(0 ${place * LINE})`">
        <text x="0" y="12" class="name">{{ bar.name }}</text>
        <rect :x="LABEL + WIDTH * bar.from" y="3" :width="Math.max(1, WIDTH * (bar.to - bar.from))" height="11" :class="bar.kind" />
        <path v-if="picture.cut && bar.from === 0" :d="`M${LABEL + 7} 1l-4 15m8-15l-4 15`" class="cut-mark" />
        <line
          v-if="place < bars.length - 1"
          :x1="LABEL + WIDTH * (place ? bar.from : bar.to)"
          :x2="LABEL + WIDTH * (place ? bar.from : bar.to)"
          y1="3"
          :y2="LINE + 14"
          class="drop"
        />
        <text :x="LABEL + WIDTH + 60" y="12" class="amount">
          {{ bar.kind === 'keeps' || bar.kind === 'daemon' ? '−' : '' }}{{ show(bar.amount) }}
        </text>
      </g>
    </svg>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
}
figcaption {
  font-weight: 600;
  font-size: 12px;
  margin-bottom: 2px;
}
svg {
  width: 100%;
  display: block;
}
text {
  font-size: 11px;
  fill: var(--ink);
}
.amount {
  text-anchor: end;
  font-variant-numeric: tabular-nums;
}
.capacity {
  fill: none;
  stroke: var(--ink);
}
.keeps {
  fill: var(--madderWash);
}
.daemon {
  fill: var(--amber);
}
.usable {
  fill: var(--petrol);
}
.drop {
  stroke: var(--quiet);
  stroke-dasharray: 1 2;
}
.cut-mark {
  stroke: var(--panel);
  stroke-width: 2.5;
  fill: none;
}
</style>
