<script setup lang="ts">
import { computed } from 'vue'
import type { Bench } from '../../api/client'
import { isPlan } from '../../api/client'
import PlaceViews from '../../ui/PlaceViews.vue'
import AgainstPlan from './handover/AgainstPlan.vue'
import BuildView from './handover/BuildView.vue'
import ChangesView from './handover/ChangesView.vue'
import FilesView from './handover/FilesView.vue'

/** From the plan to what stands: files, what is to be done, builds, and what runs against the plan. */
const props = defineProps<{ bench: Bench; mayEdit: boolean }>()
const views = { files: 'Files', todo: 'Changes', build: 'Build', against: 'Runs against plan' }
const planned = computed(() => isPlan(props.bench.fit))
</script>

<template>
  <PlaceViews v-if="planned" v-slot="{ view }" :views="views" label="views of the handover">
    <ChangesView v-if="view === 'todo'" :bench="bench" :may-edit="mayEdit" />
    <BuildView v-else-if="view === 'build'" :bench="bench" :may-edit="mayEdit" />
    <AgainstPlan v-else-if="view === 'against'" :bench="bench" :may-edit="mayEdit" />
    <FilesView v-else :bench="bench" />
  </PlaceViews>
  <p v-else class="none quiet">There is no fit to hand over yet. Compute one under Fit.</p>
</template>

<style scoped>
.none {
  padding: 40px;
}
</style>
