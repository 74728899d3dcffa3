<script setup lang="ts">
import { useSignedIn } from '../composables/useSignedIn'
import PersonMenu from './PersonMenu.vue'
import RombMark from './RombMark.vue'

/** A page that is of no study: its title, what stands beside it (`beside`), what it does (`act`), and the person. */
withDefaults(defineProps<{ title: string; width?: number }>(), { width: 900 })
useSignedIn()
</script>

<template>
  <main class="house-page" :style="{ maxWidth: `${width}px` }">
    <header>
      <RouterLink to="/" aria-label="all studies"><RombMark /></RouterLink>
      <h1>{{ title }}</h1>
      <slot name="beside" />
      <span class="grow" />
      <slot name="act" />
      <PersonMenu />
    </header>
    <slot />
  </main>
</template>

<style scoped>
.house-page {
  margin: 0 auto;
  padding: 26px;
  display: grid;
  gap: 16px;
}
header {
  display: flex;
  align-items: center;
  gap: 14px;
}
.grow {
  flex: 1;
}
</style>
