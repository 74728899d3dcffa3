<script setup lang="ts">
import PersonMenu from './PersonMenu.vue'
import RombMark from './RombMark.vue'

/** The head of a page that fills the window: the way to all studies, what the page is about, ways on, and who is signed in. */
defineProps<{ title: string; words: string }>()
</script>

<template>
  <header>
    <RouterLink to="/" aria-label="all studies"><RombMark /></RouterLink>
    <h1>{{ title }}</h1>
    <span class="quiet">{{ words }}</span>
    <span class="grow" />
    <slot />
    <PersonMenu />
  </header>
</template>

<style scoped>
header {
  display: flex;
  gap: 14px;
  align-items: center;
  padding: 12px 18px;
  border-bottom: 1px solid var(--line);
}
.grow {
  flex: 1;
}
</style>
