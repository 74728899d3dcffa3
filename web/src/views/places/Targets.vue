<script setup lang="ts">
import type { BenchActions } from '../../api/bench'
import type { Bench } from '../../api/client'
import PlaceViews from '../../ui/PlaceViews.vue'
import FiguresView from './targets/FiguresView.vue'
import FrontierView from './targets/FrontierView.vue'
import JourneysView from './targets/JourneysView.vue'
import PromisesView from './targets/PromisesView.vue'
import RegionsView from './targets/RegionsView.vue'

/** What must hold: losses survived and limits, journeys with their budgets, what minutes cost, regions, what fails. */
defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const views = {
  losses: 'Losses and limits',
  journeys: 'Journeys',
  cost: 'Cost of availability',
  regions: 'Regions and control plane',
  figures: 'Failure rates',
}
</script>

<template>
  <PlaceViews v-slot="{ view }" :views="views" label="views of the targets">
    <JourneysView v-if="view === 'journeys'" :bench="bench" :may-edit="mayEdit" />
    <FrontierView v-else-if="view === 'cost'" :bench="bench" :actions="actions" :may-edit="mayEdit" />
    <RegionsView v-else-if="view === 'regions'" :bench="bench" :actions="actions" :may-edit="mayEdit" />
    <FiguresView v-else-if="view === 'figures'" :bench="bench" :may-edit="mayEdit" />
    <PromisesView v-else :bench="bench" :actions="actions" :may-edit="mayEdit" />
  </PlaceViews>
</template>
