<script setup lang="ts">
/** A table of figures that folds away; it scrolls by itself, and says what it is to those who cannot see it. */
defineProps<{ title: string; name: string; open?: boolean; most?: number }>()
</script>

<template>
  <details class="folded" :open="open">
    <summary>{{ title }}</summary>
    <div class="scroll" tabindex="0" role="group" :aria-label="name" :style="most ? { maxHeight: `${most}px` } : undefined">
      <table>
        <slot />
      </table>
    </div>
  </details>
</template>

<style scoped>
.folded {
  border-top: 1px solid var(--line);
  padding-top: 2px;
}
summary {
  cursor: pointer;
  font-weight: 560;
  font-size: 12px;
}
.scroll {
  overflow: auto;
}
table {
  font-size: 12px;
}
</style>
