<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import type { BenchActions } from '../../../api/bench'
import type { Bench } from '../../../api/client'

/** The ways out for workloads whose volume keeps them from landing in another zone. */
const props = defineProps<{ bench: Bench; actions: BenchActions }>()
const names = computed(() =>
  (props.bench.fit?.reasons ?? []).flatMap((reason) => /^(\S+): its replicas are bound to their zone/.exec(reason)?.[1] ?? []),
)
const rows = computed(() => props.bench.workloads.filter((row) => names.value.includes(`${row.namespace}/${row.name}`)))

function stand(): void {
  const sizes = Object.fromEntries(
    rows.value.map((row) => [`${row.namespace}/${row.name}`, { extra: 0, how: 'standing' as const, most_per_node: null, stands: {} }]),
  )
  props.actions.change.mutate({ sizes: { ...props.bench.variant.sizes, ...sizes } })
}
function leaveOut(): void {
  props.actions.edit.mutate({
    cells: Object.fromEntries(rows.value.map((row) => [row.key, { promised: 'no' }])),
    removed: [],
    copies: {},
    after: {},
  })
}
</script>

<template>
  <section v-if="rows.length" class="ways">
    <h3>Ways out for {{ rows.map((row) => `${row.namespace}/${row.name}`).join(', ') }}</h3>
    <p>
      <NButton size="small" type="primary" @click="stand">Run spare replicas</NButton>
      <span class="quiet">so that those which must serve are left without any one zone; “must serve” of the row says how many.</span>
    </p>
    <p>
      <NButton size="small" @click="leaveOut">Leave out of the promise</NButton>
      <span class="quiet">what stood in a lost zone is gone until the zone is back.</span>
    </p>
  </section>
</template>

<style scoped>
.ways {
  display: grid;
  gap: 6px;
}
p {
  font-size: 12px;
}
</style>
