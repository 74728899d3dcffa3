<script setup lang="ts">
import { computed } from 'vue'
import { exactMoney, signedMoney } from '../../domain/format'
import { bridgeLayout } from './layout'

/** Two sums and what leads from one to the other, as bars below each other; each part begins where the last one ended. */
const props = defineProps<{
  before: number
  parts: { name: string; amount: number }[]
  after: number
  names: [string, string]
  currency: string
}>()
const bars = computed(() => bridgeLayout(props.before, props.parts, props.after, props.names))
</script>

<template>
  <table class="bridge" :aria-label="`from ${names[0]} to ${names[1]}, ${currency} a month`">
    <tbody>
      <tr v-for="bar in bars" :key="bar.name" :class="{ whole: bar.whole }">
        <th scope="row">{{ bar.name }}</th>
        <td class="track">
          <span
            class="bar"
            :class="{ more: !bar.whole && bar.amount > 0, less: !bar.whole && bar.amount < 0 }"
            :style="{ left: `${100 * Math.min(bar.from, bar.to)}%`, width: `${100 * Math.abs(bar.to - bar.from)}%` }"
          />
        </td>
        <td class="number">{{ bar.whole ? exactMoney(bar.amount) : signedMoney(bar.amount) }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.bridge {
  width: 100%;
  table-layout: fixed;
}
th {
  width: 190px;
  text-align: left;
  font-weight: 400;
}
.whole th,
.whole .number {
  font-weight: 650;
}
.track {
  position: relative;
  height: 26px;
}
.bar {
  position: absolute;
  top: 5px;
  bottom: 5px;
  min-width: 1px;
  background: var(--ink);
  opacity: 0.75;
}
.more {
  background: var(--madder);
}
.less {
  background: var(--petrol);
}
.number {
  width: 110px;
  text-align: right;
}
</style>
