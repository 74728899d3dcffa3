<script setup lang="ts">
import { computed } from 'vue'

/** How much of a long work is done: a bar and its percent, in whatever line it stands. */
const props = defineProps<{ share: number; label: string }>()
const whole = computed(() => Math.round(100 * props.share))
</script>

<template>
  <progress :value="whole" max="100" :aria-label="label">{{ whole }} %</progress>
  <span class="number">{{ whole }} %</span>
</template>

<style scoped>
progress {
  flex: 1;
  width: 100%;
  height: 6px;
  appearance: none;
  border: 0;
  background: var(--line);
}
progress::-webkit-progress-bar {
  background: var(--line);
}
progress::-webkit-progress-value {
  background: var(--madder);
}
</style>
