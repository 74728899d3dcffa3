<script setup lang="ts">
import { computed } from 'vue'
import type { Schemas } from '../../api/client'
import { layout } from './layout'

/** A workload between what calls it and what it calls; a full line is part of a journey that is down without the workload. */
const props = withDefaults(defineProps<{ found: Schemas['RelationsOut']; width?: number }>(), { width: 820 })
const emit = defineEmits<{ choose: [name: string] }>()
const drawn = computed(() => layout(props.found, props.width))
const names = computed(() => [
  ...drawn.value.before.map((spot) => ({ ...spot, anchor: 'end' as const })),
  ...drawn.value.behind.map((spot) => ({ ...spot, anchor: 'start' as const })),
])
</script>

<template>
  <svg
    :viewBox="`0 0 ${drawn.width} ${drawn.height}`"
    :width="drawn.width"
    :height="drawn.height"
    role="group"
    aria-label="who calls it, and what it calls"
  >
    <title>Who calls {{ found.name }}, and what it calls</title>
    <desc>
      {{ drawn.before.map((spot) => spot.name).join(', ') || 'Nobody' }} before it;
      {{ drawn.behind.map((spot) => spot.name).join(', ') || 'nothing' }} behind it.
    </desc>
    <path v-for="line in drawn.lines" :key="line.key" :d="line.points" class="line" :class="{ strong: line.strong }" />
    <path :d="`M${drawn.centre.x} ${drawn.centre.y - 14} l14 14 l-14 14 l-14 -14 Z`" class="centre" />
    <a
      v-for="spot in names"
      :key="`${spot.anchor} ${spot.name}`"
      tabindex="0"
      role="button"
      :aria-label="`look at ${spot.name}`"
      @click="emit('choose', spot.name)"
      @keydown.enter="emit('choose', spot.name)"
    >
      <text :x="spot.x" :y="spot.y + 4" :text-anchor="spot.anchor">{{ spot.name }}</text>
    </a>
  </svg>
</template>

<style scoped>
.line {
  fill: none;
  stroke: var(--quiet);
  stroke-dasharray: 3 3;
}
.line.strong {
  stroke: var(--ink);
  stroke-dasharray: none;
}
.centre {
  fill: var(--madder);
}
text {
  font-size: 12.5px;
  fill: var(--ink);
  cursor: pointer;
}
a:focus-visible text,
a:hover text {
  text-decoration: underline;
}
</style>
