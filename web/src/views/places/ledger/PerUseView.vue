<script setup lang="ts">
import { computed, toRef } from 'vue'
import { underWay, type Bench } from '../../../api/client'
import { useInquiry } from '../../../api/inquiries'
import { exactMoney, gibibytes, percent, plural } from '../../../domain/format'
import AskWhole from '../../../ui/AskWhole.vue'

/** Billing by the second against nodes: where both cost the same, workload by workload, and the cheaper mixture as a fit found it. */
const props = defineProps<{ bench: Bench; mayEdit: boolean }>()
const inquiry = useInquiry(
  toRef(() => props.bench.variant.id),
  'per_use',
)
const found = computed(() => inquiry.now.value?.per_use ?? null)
const currency = computed(() => props.bench.study.currency)
const saves = computed(() => (found.value?.after ? Number(found.value.before) - Number(found.value.after) : 0))
const moved = computed(() => found.value?.choices.reduce((sum, choice) => sum + choice.moved, 0) ?? 0)
const rows = computed(() => [...(found.value?.choices ?? [])].sort((one, other) => other.even_at - one.even_at))
const others = computed(() => Object.entries(found.value?.left_out ?? {}))
</script>

<template>
  <section class="per-use">
    <AskWhole
      :inquiry="inquiry"
      :answered="!!found"
      :may-ask="bench.fit_is_current"
      :may-edit="mayEdit"
      first="Find the cheaper mixture"
      again="Compute anew"
      doing="fitting:"
    />
    <template v-if="found">
      <h2 v-if="found.after !== null">
        <template v-if="moved"
          >{{ exactMoney(found.after) }} {{ currency }} a month with {{ plural(moved, 'replica') }} per use, {{ exactMoney(saves) }} less
          than on nodes alone</template
        >
        <template v-else>Nothing should run per use: nodes alone cost {{ exactMoney(found.after) }} {{ currency }} a month</template>
        &nbsp;<span class="quiet">· no mixture costs less than {{ exactMoney(found.floor_after ?? 0) }}</span>
      </h2>
      <p v-else>{{ found.reason }}</p>
      <p>
        All that may run so costs the same per use and on nodes where it runs {{ percent(found.even_at, 0) }} of the hours; above that nodes
        are cheaper.
      </p>
      <table>
        <thead>
          <tr>
            <th>workload</th>
            <th>size</th>
            <th class="number">runs, of the hours</th>
            <th class="number">same cost at</th>
            <th class="number">on nodes</th>
            <th class="number">per use</th>
            <th class="number">serve while replaced</th>
            <th class="number">to miss none</th>
            <th class="number">per use in the mixture</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="choice in rows" :key="choice.workload" :class="{ moved: choice.moved }">
            <td>{{ choice.workload }}</td>
            <td>
              {{ choice.offer }}
              <span class="quiet">{{ choice.cpu_millicores / 1000 }} vCPU, {{ gibibytes(choice.memory_bytes) }} GiB</span>
            </td>
            <td class="number">{{ percent(choice.share, 0) }}</td>
            <td class="number">{{ percent(choice.even_at, 0) }}</td>
            <td class="number">{{ exactMoney(choice.on_nodes) }}</td>
            <td class="number">{{ exactMoney(choice.per_use) }}</td>
            <td class="number">{{ percent(choice.healthy, 0) }}</td>
            <td class="number">{{ exactMoney(choice.replaced_whole) }}</td>
            <td class="number">{{ choice.moved ? plural(choice.moved, 'replica') : '' }}</td>
          </tr>
        </tbody>
      </table>
      <p class="quiet">
        {{ currency }} a month. On nodes: a workload’s own part and its part of what nobody asks for, nodes standing all month as planned.
        Per use: the cheapest size that holds a replica, for the hours that it runs over the levels of demand; what does not always run
        starts once a day and is billed for the least time at least. Serve while replaced: the smallest share of replicas that serve in a
        release, as the row’s budget or what must serve allows, else one at a time; to miss none costs so much more a release, as each new
        replica runs beside an old one. The mixture is a fit of its own with every promise kept: a node that stays because of others is not
        saved by moving one workload.
      </p>
      <p v-if="others.length" class="quiet">
        Not per use: <template v-for="([name, why], place) in others" :key="name">{{ place ? '; ' : '' }}{{ name }}, as {{ why }}</template
        >.
      </p>
    </template>
    <p v-else-if="!underWay(inquiry.now.value)" class="quiet">
      Some price lists bill replicas by the second, without a node. A fit can say which workloads should run so and which on nodes.
    </p>
  </section>
</template>

<style scoped>
.per-use {
  overflow: auto;
  padding: 14px 20px;
  display: grid;
  gap: 10px;
  align-content: start;
  font-size: 12px;
}
h2 {
  font-size: 14px;
}
table {
  width: 100%;
  max-width: 1080px;
}
.moved td:first-child {
  font-weight: 650;
}
</style>
