<script setup lang="ts">
import { computed, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Fit } from '../../../api/client'
import { percent, resourceWord } from '../../../domain/format'
import EvennessPicture from '../../../pictures/evenness/EvennessPicture.vue'
import { decimalNumber } from '../../../domain/typed'
import HeldInput from '../../../ui/HeldInput.vue'
import { fullness, spread, weightsFrom, weightsText } from '../../../pictures/evenness/layout'

/** How evenly nodes are filled, in whatever weights the planner gives; they stand in the address. */
const props = defineProps<{ fit: Fit }>()
const route = useRoute()
const router = useRouter()
const names = computed(() => Object.keys(props.fit.nodes[0]?.usable ?? {}))
const weights = computed(() => weightsFrom(route.query.even as string | undefined, names.value))
const full = computed(() => fullness(props.fit.nodes, weights.value))
const all = computed(() => spread(full.value))

function weigh(name: string, text: string, kept: () => void): void {
  const weight = Number(text.replace(',', '.'))
  void router.replace({ query: { ...route.query, even: weightsText({ ...weights.value, [name]: weight }) } })
  kept()
}
const reason = ref('')
</script>

<template>
  <div v-if="all" class="even">
    <h3>how evenly nodes are filled</h3>
    <EvennessPicture :full="full" :zones="fit.zones" />
    <p>
      {{ percent(all.least, 0) }} to {{ percent(all.most, 0) }} full, {{ percent(all.deviation, 0) }} around a mean of
      {{ percent(all.mean, 0) }}. Of answers as cheap the more even one is kept.
    </p>
    <p class="weights">
      <span class="quiet">weights</span>
      <label v-for="name in names" :key="name"
        >{{ resourceWord(name) }}
        <HeldInput
          inputmode="decimal"
          :value="weights[name]"
          may-edit
          :check="(text) => decimalNumber(text, 'a weight')"
          :aria-label="`weight of ${resourceWord(name)}`"
          @reason="reason = $event"
          @keep="(text, kept) => weigh(name, text, kept)"
      /></label>
    </p>
    <p v-if="reason" class="madder" role="alert">{{ reason }}</p>
  </div>
</template>

<style scoped>
.weights {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
input {
  width: 40px;
  font: inherit;
  color: inherit;
  background: var(--panel);
  border: 1px solid var(--line);
  padding: 1px 4px;
}
p {
  font-size: 12px;
  padding-top: 4px;
}
</style>
