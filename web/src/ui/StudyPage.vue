<script setup lang="ts">
import PersonMenu from './PersonMenu.vue'
import RombMark from './RombMark.vue'

/** A page about a whole study: its head with the ways to the others, and what the page shows below it. */
defineProps<{
  study: number
  title: string
  /** What of the study is shown. */
  words: string
  /** Which of the pages this is; its own way is left out. */
  here: 'variants' | 'history' | 'sign-off' | 'people'
}>()
const PAGES = { variants: 'Variants beside each other', history: 'History', 'sign-off': 'Sign-off', people: 'People' }
</script>

<template>
  <main class="page">
    <header>
      <RouterLink to="/" aria-label="all studies"><RombMark /></RouterLink>
      <h1>{{ title }}</h1>
      <span class="quiet">{{ words }}</span>
      <span class="grow" />
      <template v-for="(name, page) in PAGES" :key="page">
        <RouterLink v-if="page !== here" :to="`/studies/${study}/${page}`">{{ name }}</RouterLink>
      </template>
      <slot name="ways" />
      <PersonMenu />
    </header>
    <slot />
  </main>
</template>

<style scoped>
.page {
  height: 100vh;
  display: flex;
  flex-direction: column;
}
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
