<script setup lang="ts">
import { NModal } from 'naive-ui'

/** What opens over the page, with its title as a heading; Esc and a click beside it close it. */
withDefaults(defineProps<{ title: string; width?: number }>(), { width: 460 })
const open = defineModel<boolean>('show', { required: true })
</script>

<template>
  <NModal v-model:show="open" :auto-focus="false">
    <div class="cut sheet" role="dialog" aria-modal="true" :aria-label="title" :style="{ width: `${width}px` }">
      <header>
        <h2>{{ title }}</h2>
        <button type="button" class="plain-button quiet" aria-label="close" @click="open = false">×</button>
      </header>
      <slot />
    </div>
  </NModal>
</template>

<style scoped>
.sheet {
  display: grid;
  gap: 10px;
  padding: 14px 18px 18px;
  color: var(--ink);
}
header {
  display: flex;
  justify-content: space-between;
}
header button {
  min-width: 24px;
  min-height: 24px;
  margin-right: 10px;
  text-align: center;
}
</style>
