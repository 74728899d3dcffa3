<script setup lang="ts">
import type { Fault } from '../api/client'

/** Every fault: where, what, and what would fix it. */
withDefaults(defineProps<{ faults: Fault[]; title?: string }>(), { title: '' })
</script>

<template>
  <section v-if="faults.length || title" class="faults" role="alert">
    <h2 v-if="title" class="madder">{{ title }}</h2>
    <ul>
      <li v-for="(fault, place) in faults" :key="place">
        <span v-if="fault.line" class="mono place"
          >line {{ fault.line }}<template v-if="fault.column">:{{ fault.column }}</template></span
        >
        <span>{{ fault.reason }}</span> <span class="quiet">{{ fault.fix }}</span>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.faults {
  border-left: 3px solid var(--madder);
  padding: 4px 0 4px 12px;
}
ul {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
  display: grid;
  gap: 3px;
}
.place {
  color: var(--madder);
  margin-right: 8px;
}
</style>
