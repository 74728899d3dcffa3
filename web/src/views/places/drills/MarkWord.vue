<script setup lang="ts">
/** A drill's mark by shape and word: a full romb held, a half one was strained, a split one is broken. */
defineProps<{ mark: 'held' | 'strained' | 'broken' }>()
</script>

<template>
  <span class="mark" :class="mark">
    <svg width="12" height="14" viewBox="0 0 12 14" aria-hidden="true">
      <path d="M6 1L11 7L6 13L1 7Z" class="outline" />
      <path v-if="mark === 'held'" d="M6 1L11 7L6 13L1 7Z" class="fill" />
      <path v-else-if="mark === 'strained'" d="M1 7H11L6 13Z" class="fill" />
      <path v-else d="M6 1L4 6L8 8L6 13" class="crack" />
    </svg>
    {{ mark }}
  </span>
</template>

<style scoped>
.mark {
  font-weight: 620;
  white-space: nowrap;
}
.held {
  color: var(--petrol);
}
.strained {
  color: var(--amber);
}
.broken {
  color: var(--madder);
}
.outline,
.crack {
  fill: none;
  stroke: currentcolor;
  stroke-width: 1.3;
}
.fill {
  fill: currentcolor;
}
</style>
