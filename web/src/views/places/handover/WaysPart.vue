<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, toRef } from 'vue'
import { underWay, type Bench } from '../../../api/client'
import { useInquiry } from '../../../api/inquiries'
import { money, plural } from '../../../domain/format'
import InquiryLine from '../../../ui/InquiryLine.vue'

/** More nodes, larger nodes or more CPU: each way really fitted for the demand as it is measured. */
const props = defineProps<{ bench: Bench; mayEdit: boolean }>()
const inquiry = useInquiry(
  toRef(() => props.bench.variant.id),
  'ways',
)
const now = computed(() => inquiry.now.value)
const found = computed(() => now.value?.ways ?? null)
const cheapest = computed(() => Math.min(...(found.value?.ways ?? []).map((own) => (own.cost === null ? Infinity : Number(own.cost)))))
/** Pools that should change their type: what the cheapest way does without, and what it takes instead. */
const change = computed(() => {
  const best = found.value?.ways.find((own) => own.cost !== null && Number(own.cost) <= cheapest.value)
  const used = found.value?.used ?? []
  if (!best || !used.length) return ''
  const goes = used.filter((name) => !best.types.includes(name))
  const comes = best.types.filter((name) => !used.includes(name))
  if (!goes.length && !comes.length) return 'No pool should change its type: the cheapest way uses the same types.'
  return [
    `The cheapest way is ${best.way}.`,
    goes.length ? `Pools that should change their type: ${goes.join(', ')}.` : 'No pool has to go.',
    comes.length ? `To ${comes.join(', ')}.` : 'To types that are there already.',
  ].join(' ')
})
</script>

<template>
  <section aria-label="more nodes, larger nodes or more CPU">
    <h2>More nodes, larger nodes, or more CPU?</h2>
    <p class="quiet">
      Each way is really fitted with the types that it allows, for this variant’s demand<template v-if="found">
        with {{ plural(found.measured, 'workload') }} as measured</template
      >.
      <NButton
        v-if="mayEdit && !underWay(now)"
        size="tiny"
        :disabled="!bench.fit_is_current"
        :loading="inquiry.ask.isPending.value"
        @click="inquiry.ask.mutate()"
        >{{ found ? 'Fit them again' : 'Fit each way' }}</NButton
      >
      <span v-if="!bench.fit_is_current">It is asked of the plan of today: fit again first.</span>
    </p>
    <InquiryLine :inquiry="now" doing="fitting" :may-edit="mayEdit" @stop="inquiry.stop.mutate($event)" @ask="inquiry.ask.mutate()" />
    <table v-if="found?.ways.length" aria-label="ways">
      <thead>
        <tr>
          <th>way</th>
          <th class="number">{{ bench.study.currency }} a month</th>
          <th class="number">proved from</th>
          <th class="number">nodes</th>
          <th>of</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="own in found.ways" :key="own.way">
          <th scope="row">{{ own.way }}</th>
          <template v-if="own.cost !== null">
            <td class="number">
              <strong v-if="Number(own.cost) <= cheapest">{{ money(own.cost) }}</strong><template v-else>{{ money(own.cost) }}</template>
            </td>
            <td class="number quiet">{{ money(own.floor ?? 0) }}</td>
            <td class="number">{{ own.nodes }}</td>
            <td class="quiet">{{ own.types.join(', ') }}</td>
          </template>
          <td v-else colspan="4" class="quiet">{{ own.why }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="change">{{ change }}</p>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 6px;
}
table {
  max-width: 760px;
}
th[scope] {
  text-align: left;
  font-weight: 560;
}
</style>
