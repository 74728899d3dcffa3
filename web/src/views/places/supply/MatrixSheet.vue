<script setup lang="ts">
import { NVirtualList } from 'naive-ui'
import { computed } from 'vue'
import { gibibytes, price, tenths } from '../../../domain/format'
import type { Row } from '../../../domain/matrix'

/** The zone × type matrix: a rhomb where a type is to be had, filled by its price among the rows shown. */
const props = defineProps<{ rows: Row[]; zones: string[]; used: string[]; chosen: string | null; house: string[] }>()
const emit = defineEmits<{ choose: [name: string] }>()
const items = computed(() => props.rows.map((row) => ({ key: row.type.name, row })))
const columns = computed(() => `minmax(104px, 1fr) 62px 86px 58px 56px repeat(${props.zones.length}, minmax(88px, 1fr))`)
/** A full rhomb: twice the median price per usable vCPU of the rows shown, so that one dear family hides nothing. */
const full = computed(() => {
  const prices = props.rows
    .map((row) => row.perVcpu)
    .filter(Number.isFinite)
    .sort((a, b) => a - b)
  return 2 * (prices[Math.floor(prices.length / 2)] ?? 1)
})
const least = computed(() => `${104 + 62 + 86 + 58 + 56 + props.zones.length * 96 + 56}px`)

function level(row: Row, cost: number): number {
  return Math.min(1, (1000 * cost) / Math.max(row.type.usable_cpu_millicores, 1) / full.value)
}
function step(event: KeyboardEvent, place: number): void {
  const by = { ArrowDown: 1, ArrowUp: -1 }[event.key]
  const next = by && props.rows[place + by]
  if (!next) return
  event.preventDefault()
  emit('choose', next.type.name)
  const line = (event.currentTarget as HTMLElement)
    .closest('.v-vl-items')
    ?.querySelector<HTMLElement>(`[data-type="${CSS.escape(next.type.name)}"]`)
  line?.focus()
}
</script>

<template>
  <div class="matrix" role="table" :style="{ '--least': least }" :aria-rowcount="rows.length + 1" aria-label="what is offered where">
    <div class="line top" role="row" :style="{ gridTemplateColumns: columns }">
      <span role="columnheader">type</span><span role="columnheader" class="number" title="vCPU and GiB of a node">has</span
      ><span role="columnheader" class="number" title="vCPU and GiB that pods can use">usable</span
      ><span role="columnheader" class="number" title="cheapest zone used, per usable vCPU and hour">per vCPU</span
      ><span role="columnheader" class="number" title="cheapest zone used, per usable GiB and hour">per GiB</span>
      <span v-for="zone in zones" :key="zone" role="columnheader" :class="{ off: !used.includes(zone) }"
        >{{ zone }}<template v-if="!used.includes(zone)"> (not used)</template></span
      >
    </div>
    <NVirtualList class="lines" :items="items" :item-size="30">
      <template #default="{ item, index }: { item: { key: string; row: Row }; index: number }">
        <div
          class="line row"
          role="row"
          :aria-rowindex="index + 2"
          :class="{ chosen: item.key === chosen, barred: house.length && !house.includes(item.row.type.family) }"
          :style="{ gridTemplateColumns: columns }"
          tabindex="0"
          :data-type="item.key"
          :aria-selected="item.key === chosen"
          @click="emit('choose', item.key)"
          @keydown.enter="emit('choose', item.key)"
          @keydown="step($event, index)"
        >
          <span role="cell"
            ><strong>{{ item.row.type.name }}</strong> <span class="quiet">{{ item.row.type.architecture }}</span></span
          >
          <span role="cell" class="number">{{ item.row.type.vcpu }} / {{ gibibytes(item.row.type.memory_bytes) }}</span>
          <span
            role="cell"
            class="number quiet"
            :class="{ madder: item.row.type.usable_cpu_millicores <= 0 || item.row.type.usable_memory_bytes <= 0 }"
            >{{
              item.row.type.usable_cpu_millicores > 0 && item.row.type.usable_memory_bytes > 0
                ? `${tenths(item.row.type.usable_cpu_millicores / 1000)} / ${tenths(item.row.type.usable_memory_bytes / 2 ** 30)}`
                : 'nothing'
            }}</span
          >
          <span role="cell" class="number">{{ Number.isFinite(item.row.perVcpu) ? item.row.perVcpu.toFixed(4) : '—' }}</span>
          <span role="cell" class="number">{{ Number.isFinite(item.row.perGib) ? item.row.perGib.toFixed(4) : '—' }}</span>
          <span
            v-for="(cell, place) in item.row.cells"
            :key="place"
            role="cell"
            class="cell"
            :class="[cell.state, { off: !used.includes(zones[place] ?? '') }]"
          >
            <svg v-if="cell.state !== 'missing'" width="14" height="20" viewBox="0 0 14 20" aria-hidden="true">
              <clipPath :id="`m-${index}-${place}`">
                <rect x="0" :y="19 - 18 * level(item.row, cell.price)" width="14" height="20" />
              </clipPath>
              <path d="M7 1L13 10 7 19 1 10z" class="edge" />
              <path v-if="cell.state === 'offered'" d="M7 1L13 10 7 19 1 10z" class="fill" :clip-path="`url(#m-${index}-${place})`" />
            </svg>
            <span v-if="cell.state === 'offered'" class="amount"
              >{{ price(cell.text)
              }}<sup v-if="cell.mostNodes !== null" :title="`at most ${cell.mostNodes} nodes`">≤{{ cell.mostNodes }}</sup></span
            >
            <span v-else-if="cell.state === 'out'">out of stock</span>
            <span v-else>not sold</span>
          </span>
        </div>
      </template>
    </NVirtualList>
  </div>
</template>

<style scoped>
.matrix {
  display: grid;
  grid-template-rows: auto 1fr;
  min-height: 0;
  height: 100%;
  overflow-x: auto;
}
.top,
.lines {
  min-width: var(--least);
}
.line {
  display: grid;
  align-items: center;
  column-gap: 8px;
  height: 30px;
  padding: 0 8px;
  border-bottom: 1px solid var(--line);
}
.top {
  color: var(--quiet);
  font-size: 12px;
}
.lines {
  min-height: 0;
  height: 100%;
}
.row {
  cursor: pointer;
}
.row:hover {
  background: var(--wash);
}
.row.chosen {
  background: var(--panel);
  box-shadow: inset 3px 0 0 var(--madder);
}
.row:focus-visible {
  outline-offset: -2px;
}
.barred strong {
  text-decoration: line-through;
}
.cell {
  display: flex;
  gap: 6px;
  align-items: center;
  font-variant-numeric: tabular-nums;
}
.cell svg {
  flex: none;
}
.edge {
  fill: none;
  stroke: var(--ink);
}
.out .edge {
  stroke-dasharray: 2 2;
  stroke: var(--madder);
}
.fill {
  fill: var(--petrol);
}
.out,
.missing {
  color: var(--madder);
  font-size: 12px;
}
.missing {
  font-weight: 600;
}
.off {
  opacity: 0.62;
}
.off .fill {
  fill: var(--quiet);
}
sup {
  color: var(--amber);
  font-size: 10px;
  margin-left: 2px;
}
</style>
