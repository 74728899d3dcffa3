<script setup lang="ts">
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'

/** A place of several views: their names above, the chosen one below; the address says which, the first where it says none. */
const props = defineProps<{ views: Record<string, string>; label: string }>()
const route = useRoute()
const router = useRouter()
const first = computed(() => Object.keys(props.views)[0] ?? '')
const view = computed(() => (String(route.query.show ?? '') in props.views ? String(route.query.show) : first.value))
</script>

<template>
  <div class="place">
    <nav class="views" :aria-label="label">
      <button
        v-for="(title, name) in views"
        :key="name"
        type="button"
        class="plain-button"
        :aria-current="view === name ? 'page' : undefined"
        @click="router.replace({ query: { ...route.query, show: name === first ? undefined : name } })"
      >
        {{ title }}
      </button>
    </nav>
    <slot :view="view" />
  </div>
</template>

<style scoped>
.place {
  display: grid;
  grid-template-rows: 34px minmax(0, 1fr);
  height: 100%;
  min-height: 0;
}
.views {
  display: flex;
  gap: 20px;
  align-items: center;
  padding: 0 20px;
  border-bottom: 1px solid var(--line);
}
.views button {
  padding: 6px 0;
  color: var(--quiet);
  font-weight: 560;
}
.views button[aria-current='page'] {
  color: var(--ink);
  box-shadow: 0 2px 0 var(--madder);
}
</style>
