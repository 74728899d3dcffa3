<script setup lang="ts">
import { ref } from 'vue'
import type { Bill } from '../../../api/ledger'
import { exactMoney, percent } from '../../../domain/format'

/** The parts of a bill as bars; one that is clicked opens into what it is made of, drawn at its own scale within it. */
const props = defineProps<{ bill: Bill }>()
const open = ref<string | null>(null)
const whole = () => Number(props.bill.total) || 1
const share = (amount: string | number, of: number) => Math.max(0, Math.min(1, Number(amount) / of))
</script>

<template>
  <ol class="bars" aria-label="parts of the bill">
    <li v-for="entry in bill.shares" :key="entry.name">
      <button
        type="button"
        class="plain-button bar"
        :aria-expanded="entry.parts.length ? open === entry.name : undefined"
        :disabled="!entry.parts.length"
        @click="open = open === entry.name ? null : entry.name"
      >
        <span class="name" :class="{ quiet: entry.unassigned }"
          >{{ entry.parts.length ? (open === entry.name ? '▾' : '▸') : '·' }} {{ entry.name }}</span
        >
        <span class="track"
          ><span class="fill" :class="{ nobody: entry.unassigned }" :style="{ width: `${100 * share(entry.amount, whole())}%` }"
        /></span>
        <span class="number">{{ percent(share(entry.amount, whole())) }}</span>
        <strong class="number">{{ exactMoney(entry.amount) }}</strong>
      </button>
      <ol v-if="open === entry.name" class="inner">
        <li v-for="part in entry.parts" :key="part.name" class="bar">
          <span class="name">{{ part.name }}</span>
          <span class="track"
            ><span class="fill part" :style="{ width: `${100 * share(part.amount, Number(entry.amount) || 1)}%` }"
          /></span>
          <span class="number quiet">{{ percent(share(part.amount, Number(entry.amount) || 1)) }}</span>
          <span class="number">{{ exactMoney(part.amount) }}</span>
        </li>
      </ol>
    </li>
  </ol>
</template>

<style scoped>
.bars,
.inner {
  list-style: none;
  margin: 0;
  padding: 0;
}
.bar {
  display: grid;
  grid-template-columns: minmax(120px, 210px) minmax(0, 1fr) 54px 92px;
  gap: 10px;
  align-items: center;
  width: 100%;
  text-align: left;
  padding: 4px 2px;
  font-size: 12px;
  border-bottom: 1px solid var(--line);
}
.bar:disabled {
  cursor: default;
  color: var(--ink);
}
.name {
  overflow-wrap: anywhere;
}
.track {
  display: block;
  height: 14px;
}
.fill {
  display: block;
  height: 100%;
  min-width: 1px;
  background: var(--petrol);
  clip-path: polygon(0 0, calc(100% - 5px) 0, 100% 50%, calc(100% - 5px) 100%, 0 100%);
}
.fill.nobody {
  background: none;
  border: 1px dashed var(--petrol);
  clip-path: none;
}
.fill.part {
  background: var(--amber);
}
.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}
.inner {
  padding-left: 18px;
}
</style>
