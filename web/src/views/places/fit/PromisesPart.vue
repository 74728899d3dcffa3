<script setup lang="ts">
import { computed, toRef } from 'vue'
import type { Bench, Fit } from '../../../api/client'
import { useInquiryOfFit } from '../../../api/inquiries'
import { money } from '../../../domain/format'
import PromisePrices from '../../../pictures/promise-prices/PromisePrices.vue'
import InquiryLine from '../../../ui/InquiryLine.vue'
import TypesPart from './TypesPart.vue'
import UnitPrices from './UnitPrices.vue'

/** What each promise costs, what a unit costs where, and why no other type: asked at once when a fit stands. */
const props = defineProps<{ bench: Bench; fit: Fit; mayEdit: boolean }>()
const inquiry = useInquiryOfFit(
  toRef(() => props.bench),
  'promises',
  toRef(() => props.mayEdit),
)
const answer = computed(() => inquiry.own.value?.promises ?? null)
</script>

<template>
  <div>
    <h3>what each promise costs, {{ fit.currency }} a month</h3>
    <PromisePrices v-if="answer?.prices.length" :prices="answer.prices" :cost="Number(fit.cost_per_month)" :currency="fit.currency" />
    <InquiryLine
      :inquiry="inquiry.now.value"
      :may-edit="mayEdit"
      doing="fitting without promise"
      @stop="inquiry.stop.mutate($event)"
      @ask="inquiry.ask.mutate()"
    />
    <p v-if="!inquiry.now.value && !mayEdit" class="quiet">A planner can ask for the price of each promise.</p>
    <p v-else-if="answer?.prices.length" class="quiet">
      Each is this study really fitted without that one promise. Bracket: what is proved between the cheapest plans;
      {{ money(fit.cost_per_month) }} {{ fit.currency }} with all of them.
    </p>
  </div>
  <slot />
  <UnitPrices v-if="answer && Object.keys(answer.unit_prices).length" :prices="answer.unit_prices" :currency="fit.currency" />
  <TypesPart v-if="answer?.types.length" :types="answer.types" :currency="fit.currency" />
</template>

<style scoped>
h3 {
  margin-bottom: 6px;
}
p {
  padding-top: 6px;
  font-size: 12px;
}
</style>
