<script setup lang="ts">
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { BenchActions } from '../../api/bench'
import type { Bench } from '../../api/client'
import FiguresView from './targets/FiguresView.vue'
import FrontierView from './targets/FrontierView.vue'
import JourneysView from './targets/JourneysView.vue'
import PromisesView from './targets/PromisesView.vue'
import RegionsView from './targets/RegionsView.vue'

/** What must hold: losses survived and limits, journeys with their budgets, what minutes cost, regions, what fails. */
defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const route = useRoute()
const router = useRouter()
const views = {
  losses: 'Losses and limits',
  journeys: 'Journeys',
  cost: 'Cost of availability',
  regions: 'Regions and control plane',
  figures: 'Failure rates',
}
const view = computed(() => (String(route.query.show ?? '') in views ? String(route.query.show) : 'losses'))
</script>

<template>
  <div class="place">
    <nav class="views" aria-label="views of the targets">
      <button
        v-for="(title, name) in views"
        :key="name"
        type="button"
        class="plain-button"
        :aria-current="view === name ? 'page' : undefined"
        @click="router.replace({ query: { ...route.query, show: name === 'losses' ? undefined : name } })"
      >
        {{ title }}
      </button>
    </nav>
    <JourneysView v-if="view === 'journeys'" :bench="bench" :may-edit="mayEdit" />
    <FrontierView v-else-if="view === 'cost'" :bench="bench" :actions="actions" :may-edit="mayEdit" />
    <RegionsView v-else-if="view === 'regions'" :bench="bench" :actions="actions" :may-edit="mayEdit" />
    <FiguresView v-else-if="view === 'figures'" :bench="bench" :may-edit="mayEdit" />
    <PromisesView v-else :bench="bench" :actions="actions" :may-edit="mayEdit" />
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
