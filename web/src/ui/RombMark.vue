<script setup lang="ts">
/** The product's own mark: a node as the lanes draw it, its CPU filled higher than its memory. */
withDefaults(defineProps<{ /** Height in pixels. */ height?: number }>(), { height: 42 })
</script>

<template>
  <svg :width="(height * 28) / 44" :height="height" viewBox="-1 -1 28 44" aria-hidden="true">
    <polygon points="13,42 0,21 5.72,11.76 13,11.76" class="ink" />
    <polygon points="13,42 23.4,25.2 13,25.2" class="madder" />
    <polygon points="13,0 26,21 13,42 0,21" class="line" />
  </svg>
</template>

<style scoped>
.ink {
  fill: var(--ink);
}
.madder {
  fill: var(--madder);
}
.line {
  fill: none;
  stroke: var(--ink);
  stroke-width: 1.6;
  stroke-linejoin: round;
}
</style>
