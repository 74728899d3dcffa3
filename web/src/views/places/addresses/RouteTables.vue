<script setup lang="ts">
import { computed } from 'vue'
import type { BenchActions } from '../../../api/bench'
import type { Bench } from '../../../api/client'
import type { StatedBuild } from '../../../api/preflight'
import DraftField from '../../../ui/DraftField.vue'

/** Which route table the private range of each zone hangs on, and whether the provider wants one. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const tables = computed(() => props.bench.variant.build.route_tables ?? {})

function set(zone: string, table: string, kept: () => void): void {
  const others = Object.entries(tables.value).filter(([known]) => known !== zone)
  const after = Object.fromEntries(table ? [...others, [zone, table]] : others)
  props.actions.change.mutate({ build: { route_tables: after } as StatedBuild }, { onSuccess: kept })
}
</script>

<template>
  <section v-if="bench.variant.zones.length">
    <h3>Route tables of private ranges</h3>
    <DraftField
      v-for="zone in bench.variant.zones"
      :key="zone"
      wide
      :title="zone"
      :name="`route table in ${zone}`"
      :value="tables[zone] ?? ''"
      :may-edit="mayEdit"
      @keep="(text, kept) => set(zone, text, kept)"
    />
    <p v-if="bench.provider_asks.one_route_table" class="quiet">The provider asks for one table for all zones of a pool.</p>
  </section>
</template>

<style scoped>
section {
  padding-top: 8px;
}
p {
  font-size: 12px;
  padding: 3px 0;
}
</style>
