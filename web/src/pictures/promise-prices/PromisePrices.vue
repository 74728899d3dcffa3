<script setup lang="ts">
import { computed } from 'vue'
import type { PromisePrice } from '../../api/client'
import { exactMoney, money, percent } from '../../domain/format'
import { priceBars } from './layout'

/** What each promise costs a month: a bar for the price found, a bracket for what is proved of it. */
const props = defineProps<{ prices: PromisePrice[]; cost: number; currency: string }>()
const picture = computed(() => priceBars(props.prices, props.cost))
const WIDTH = 214

function told(bar: ReturnType<typeof priceBars>['bars'][number], entry: PromisePrice): string {
  return `${bar.words}. Without it ${exactMoney(entry.without)} ${props.currency} a month, ${percent(bar.share)} less. Between the cheapest answers with and without it lie ${exactMoney(entry.least)} to ${exactMoney(entry.most)} ${props.currency}.`
}
</script>

<template>
  <ol class="prices" :aria-label="`price of each promise in ${currency} a month`">
    <li v-for="(bar, place) in picture.bars" :key="bar.key" tabindex="0" :title="told(bar, prices[place]!)">
      <span class="words">{{ bar.words }}</span>
      <svg :viewBox="`0 0 ${WIDTH + 70} 15`" role="img" :aria-label="told(bar, prices[place]!)">
        <rect x="0" y="3" :width="Math.max(1, (WIDTH * bar.price) / picture.most)" height="9" :class="{ sure: bar.proved }" />
        <path :d="`M${WIDTH * bar.from} 1v13M${WIDTH * bar.from} 7.5H${WIDTH * bar.to}M${WIDTH * bar.to} 1v13`" class="span" />
        <text :x="WIDTH + 69" y="12">{{ bar.price < 0.5 ? 'nothing' : money(bar.price) }}</text>
      </svg>
    </li>
  </ol>
</template>

<style scoped>
.prices {
  margin: 0;
  padding: 0;
  list-style: none;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 5px;
}
li:hover,
li:focus {
  background: var(--wash);
  outline: 0;
  box-shadow: -3px 0 0 var(--madder);
}
.words {
  display: block;
  font-size: 12px;
  line-height: 15px;
}
svg {
  display: block;
  width: 100%;
}
rect {
  fill: var(--madderWash);
}
rect.sure {
  fill: var(--madder);
}
.span {
  stroke: var(--ink);
  stroke-width: 1;
  fill: none;
}
text {
  font-size: 12px;
  fill: var(--ink);
  text-anchor: end;
  font-variant-numeric: tabular-nums;
  font-weight: 600;
}
</style>
