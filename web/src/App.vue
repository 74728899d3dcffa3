<script setup lang="ts">
import { darkTheme, NConfigProvider, NGlobalStyle, NMessageProvider } from 'naive-ui'
import { computed, ref } from 'vue'
import { overrides } from './theme/naive'
import { dark, light } from './theme/tokens'

const query = window.matchMedia('(prefers-color-scheme: dark)')
const isDark = ref(query.matches)
query.addEventListener('change', () => (isDark.value = query.matches))
const theme = computed(() => (isDark.value ? darkTheme : null))
</script>

<template>
  <NConfigProvider :theme="theme" :theme-overrides="overrides(isDark ? dark : light)" abstract>
    <NGlobalStyle />
    <NMessageProvider><RouterView /></NMessageProvider>
  </NConfigProvider>
</template>
