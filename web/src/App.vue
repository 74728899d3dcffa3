<script setup lang="ts">
import { darkTheme, NConfigProvider, NGlobalStyle, NMessageProvider } from 'naive-ui'
import { usePreferredDark } from '@vueuse/core'
import { computed, watchEffect } from 'vue'
import { useRoute } from 'vue-router'
import { waiting } from './api/patience'
import FindAnything from './ui/FindAnything.vue'
import { overrides } from './theme/naive'
import { applyTokens, dark, light } from './theme/tokens'

const route = useRoute()
const isDark = usePreferredDark()
watchEffect(() => applyTokens(isDark.value ? dark : light))
const theme = computed(() => (isDark.value ? darkTheme : null))
</script>

<template>
  <NConfigProvider :theme="theme" :theme-overrides="overrides(isDark ? dark : light)" abstract>
    <NGlobalStyle />
    <NMessageProvider>
      <p v-if="waiting" class="away" role="status">The server or its database is down. What you typed is kept and sent again.</p>
      <RouterView />
      <FindAnything v-if="route.name && route.name !== 'sign-in'" />
    </NMessageProvider>
  </NConfigProvider>
</template>

<style scoped>
.away {
  position: fixed;
  inset: auto 0 0;
  z-index: 3000;
  margin: 0;
  padding: 8px 16px;
  text-align: center;
  background: var(--madder);
  color: var(--paper);
}
</style>
