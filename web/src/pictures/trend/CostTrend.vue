<script setup lang="ts">
import { computed } from 'vue'
import { HEIGHT, layoutTrend, trendWords, WIDTH, type Point } from './layout'

/** What the plans of a reference cost through time, from zero up. */
const props = defineProps<{ points: Point[]; currency: string }>()
const line = computed(() => layoutTrend(props.points))
const words = computed(() => trendWords(props.points, props.currency))
</script>

<template>
  <svg v-if="line" :width="WIDTH" :height="HEIGHT" role="img" :aria-label="words">
    <title>{{ words }}</title>
    <path :d="line.path" />
    <circle :cx="line.x" :cy="line.y" r="2" />
  </svg>
</template>

<style scoped>
svg {
  display: block;
}
path {
  fill: none;
  stroke: var(--petrol);
  stroke-width: 1.4;
}
circle {
  fill: var(--madder);
}
</style>
