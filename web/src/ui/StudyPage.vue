<script setup lang="ts">
import PageHead from './PageHead.vue'

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
    <PageHead :title="title" :words="words">
      <template v-for="(name, page) in PAGES" :key="page">
        <RouterLink v-if="page !== here" :to="`/studies/${study}/${page}`">{{ name }}</RouterLink>
      </template>
      <slot name="ways" />
    </PageHead>
    <slot />
  </main>
</template>

<style scoped>
.page {
  height: 100vh;
  display: flex;
  flex-direction: column;
}
</style>
