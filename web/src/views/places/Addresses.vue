<script setup lang="ts">
import { computed, ref, toRef } from 'vue'
import { useAddresses } from '../../api/addresses'
import type { BenchActions } from '../../api/bench'
import { isPlan, planId, type Bench, type Problem } from '../../api/client'
import AddressMap from '../../pictures/addresses/AddressMap.vue'
import { mostNodes, saidOf } from '../../pictures/addresses/layout'
import FaultList from '../../ui/FaultList.vue'
import FoldedTable from '../../ui/FoldedTable.vue'
import AddressForm from './addresses/AddressForm.vue'
import RouteTables from './addresses/RouteTables.vue'
import TodayPart from './addresses/TodayPart.vue'
import UsedRanges from './addresses/UsedRanges.vue'

/** Where every node, pod and service has its address from, how many nodes that allows, and what decides it. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const planned = computed(() => isPlan(props.bench.fit))
const query = useAddresses(
  toRef(() => props.bench.variant.id),
  computed(() => (planned.value ? planId(props.bench) : 0)),
)
const told = computed(() => query.data.value ?? null)
const error = computed(() => query.error.value as Problem | null)
const version = ref(4)
const plan = computed(() => told.value?.plans.find((each) => each.version === version.value) ?? told.value?.plans[0] ?? null)
const most = computed(() => (plan.value ? mostNodes(plan.value) : 1))
const asked = ref<number | null>(null)
const nodes = computed(() => Math.min(most.value, asked.value ?? Math.max(0, ...(told.value?.zones ?? []).map((zone) => zone.nodes))))
const FROM = { stated: 'the limits that were stated', levels: 'the design of all levels', fit: 'the plan' }
const whole = computed(() => (plan.value?.ceilings ?? []).reduce((sum, ceiling) => sum + Number(ceiling.nodes), 0))
const wholeGrown = computed(() => (plan.value?.ceilings_grown ?? []).reduce((sum, ceiling) => sum + Number(ceiling.nodes), 0))
const tightest = computed(() => [...(plan.value?.ceilings ?? [])].sort((one, other) => Number(one.nodes) - Number(other.nodes))[0] ?? null)
const file = (kind: string) => `/api/variants/${props.bench.variant.id}/addresses.${kind}`
</script>

<template>
  <p v-if="!planned" class="none quiet">There is no plan yet, so nobody knows how many nodes need addresses. Compute one under Fit.</p>
  <div v-else class="addresses">
    <aside tabindex="0" aria-label="what is stated">
      <AddressForm :bench="bench" :told="told" :actions="actions" :may-edit="mayEdit" />
      <UsedRanges :bench="bench" :actions="actions" :may-edit="mayEdit" />
      <RouteTables :bench="bench" :actions="actions" :may-edit="mayEdit" />
    </aside>
    <section class="middle">
      <FaultList v-if="error" :faults="error.faults ?? []" :title="error.message" />
      <template v-if="told">
        <p v-if="!plan" class="quiet">State a parent range, and every range that the plan needs is taken from it.</p>
        <template v-else>
          <div class="head">
            <h2>
              {{ whole }} nodes at most, {{ wholeGrown }} once ranges have grown<template v-if="tightest"
                >; {{ tightest.decided_by }} runs out first, at {{ tightest.nodes }}</template
              >
            </h2>
            <span class="tools">
              <button
                v-for="each in told.plans.length > 1 ? told.plans : []"
                :key="each.version"
                type="button"
                class="plain-button"
                :aria-pressed="each.version === plan.version"
                @click="version = each.version"
              >
                IPv{{ each.version }}
              </button>
              <a :href="file('csv')" download>as CSV</a>
              <a :href="file('json')" download>as JSON</a>
            </span>
          </div>
          <FaultList :faults="plan.faults" />
          <p v-if="!plan.standard" class="amber">
            {{ plan.parent }} is not set aside for use inside: RFC 1918 names 10.0.0.0/8, 172.16.0.0/12 and 192.168.0.0/16, RFC 6598
            100.64.0.0/10, RFC 4193 fc00::/7. Parts of it may be others’ addresses.
          </p>
          <AddressMap :plan="plan" :nodes="nodes" />
          <label class="slider">
            <span>{{ nodes }} nodes in every zone</span>
            <input
              type="range"
              min="0"
              :max="most"
              :value="nodes"
              aria-label="nodes in every zone"
              @input="asked = Number(($event.target as HTMLInputElement).value)"
            />
            <span>{{ saidOf(plan, nodes) }}</span>
          </label>
          <p class="quiet">
            {{ plan.free.length }} ranges stay free, the largest
            {{ [...plan.free].sort((one, other) => Number(other.addresses) - Number(one.addresses))[0]?.range ?? 'none' }}.
            <template v-if="plan.static"
              >Of the services’ addresses the first {{ plan.static }} are kept for those that are chosen by hand.</template
            >
            Ranges are taken zone by zone, so that one more zone moves none.
          </p>
        </template>
        <FoldedTable title="Nodes that need addresses" name="nodes by zone">
          <thead>
            <tr>
              <th>zone</th>
              <th class="number">planned</th>
              <th class="number">at most</th>
              <th class="number">surge</th>
              <th class="number">bought after a loss</th>
              <th class="number">in all</th>
              <th class="number">once demand has grown</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="zone in told.zones" :key="zone.zone">
              <td>{{ zone.zone }}</td>
              <td class="number">{{ zone.planned }}</td>
              <td class="number">{{ zone.most }}</td>
              <td class="number">{{ zone.surge }}</td>
              <td class="number">{{ zone.after_loss }}</td>
              <td class="number">{{ zone.nodes }}</td>
              <td class="number">{{ zone.grown }}</td>
            </tr>
          </tbody>
        </FoldedTable>
        <p class="quiet">At most: of {{ FROM[told.limits_from] }}. A node has {{ told.most_pods }} pods at most.</p>
        <TodayPart v-if="plan" :bench="bench" :told="told" :actions="actions" :may-edit="mayEdit" />
      </template>
    </section>
  </div>
</template>

<style scoped>
.none {
  padding: 40px;
}
.addresses {
  display: grid;
  grid-template-columns: minmax(280px, 320px) minmax(0, 1fr);
  height: 100%;
}
aside {
  overflow: auto;
  padding: 12px 14px;
  border-right: 1px solid var(--line);
}
.middle {
  overflow: auto;
  padding: 12px 18px;
  display: grid;
  gap: 10px;
  align-content: start;
  font-size: 12px;
}
.head {
  display: flex;
  justify-content: space-between;
  gap: 14px;
}
.tools {
  display: flex;
  gap: 12px;
  white-space: nowrap;
}
.tools button[aria-pressed='true'] {
  box-shadow: 0 2px 0 var(--madder);
}
.slider {
  display: grid;
  grid-template-columns: 150px minmax(0, 1fr) minmax(0, 1fr);
  gap: 12px;
  align-items: center;
}
.slider input {
  accent-color: var(--petrol);
}
.amber {
  color: var(--amber);
}
</style>
