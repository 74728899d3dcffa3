<script setup lang="ts">
import { computed, toRef } from 'vue'
import { useStarterUse } from '../api/starters'
import { plural } from '../domain/format'

/** From which starter a study was made, where a newer version of it would change something; nothing otherwise. */
const props = defineProps<{ study: number }>()
const query = useStarterUse(toRef(props, 'study'))
const use = computed(() => query.data.value ?? null)
</script>

<template>
  <details v-if="use && use.newest > use.version" class="line">
    <summary>
      Made from version {{ use.version }} of the starter {{ use.starter }}; version {{ use.newest }} ({{ use.why }})
      {{ use.changes.length ? `would change ${plural(use.changes.length, 'thing')}` : 'would change nothing here' }}
    </summary>
    <ul v-if="use.changes.length">
      <li v-for="words in use.changes" :key="words">{{ words }}</li>
    </ul>
  </details>
</template>

<style scoped>
.line {
  padding: 3px 14px;
  border-bottom: 1px solid var(--line);
  font-size: 12px;
  max-height: 30vh;
  overflow: auto;
}
ul {
  margin: 4px 0;
}
</style>
