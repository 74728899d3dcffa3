<script setup lang="ts">
import { computed } from 'vue'
import type { BenchActions } from '../../api/bench'
import { isPlan, type Bench } from '../../api/client'
import PlaceViews from '../../ui/PlaceViews.vue'
import ActualView from './ledger/ActualView.vue'
import BillView from './ledger/BillView.vue'
import ChangesView from './ledger/ChangesView.vue'
import CommitmentsView from './ledger/CommitmentsView.vue'
import PerUseView from './ledger/PerUseView.vue'

/** The whole bill of the plan and what follows from it: who pays, and what to commit to. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const views = { bill: 'Bill', commitments: 'Commitments', perUse: 'Per use', changes: 'What changed', actual: 'Actual charges' }
const planned = computed(() => isPlan(props.bench.fit))
</script>

<template>
  <PlaceViews v-if="planned" v-slot="{ view }" :views="views" label="views of the ledger">
    <CommitmentsView v-if="view === 'commitments'" :bench="bench" :actions="actions" :may-edit="mayEdit" />
    <ChangesView v-else-if="view === 'changes'" :bench="bench" />
    <PerUseView v-else-if="view === 'perUse'" :bench="bench" :may-edit="mayEdit" />
    <ActualView v-else-if="view === 'actual'" :bench="bench" :may-edit="mayEdit" />
    <BillView v-else :bench="bench" :actions="actions" :may-edit="mayEdit" />
  </PlaceViews>
  <p v-else class="none quiet">There is no plan to bill yet. Compute one under Fit.</p>
</template>

<style scoped>
.none {
  padding: 40px;
}
</style>
