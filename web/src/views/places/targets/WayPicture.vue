<script setup lang="ts">
/** Three zones before and after losing the first one: what stands, what is kept back, what arrives. */
defineProps<{ way: 'none' | 'standing' | 'landing' | 'growing' }>()
const before = { none: [1, 0, 0], standing: [0.6, 0.3, 0], landing: [0.6, 0, 0.3], growing: [1, 0, 0] } as const
const after = { none: [1, 0, 0], standing: [0.6, 0.3, 0], landing: [0.6, 0.3, 0], growing: [1, 0, 0] } as const
const ROMB = 'M17 0L34 27 17 54 0 27z'
</script>

<template>
  <svg viewBox="0 0 322 62" aria-hidden="true">
    <defs>
      <clipPath :id="`romb-${way}`"><path :d="ROMB" /></clipPath>
    </defs>
    <g v-for="(side, moment) in [before[way], after[way]]" :key="moment" :transform="`translate(${moment * 142} 4)`">
      <g v-for="zone in 3" :key="zone" :transform="`translate(${(zone - 1) * (moment ? 58 : 38)} 0)`">
        <template v-if="moment === 0 || zone > 1">
          <g :clip-path="`url(#romb-${way})`">
            <rect width="34" height="54" class="ground" />
            <rect width="34" :y="54 - 54 * side[0]" :height="54 * side[0]" class="asked" />
            <rect width="34" :y="54 - 54 * (side[0] + side[1])" :height="54 * side[1]" :class="way === 'standing' ? 'more' : 'asked'" />
            <rect width="34" :y="54 - 54 * (side[0] + side[2])" :height="54 * side[2]" class="kept" />
          </g>
          <path :d="ROMB" class="edge" />
        </template>
        <path v-else :d="ROMB" class="gone" />
      </g>
    </g>
    <g v-if="way === 'growing'">
      <path v-for="zone in 2" :key="zone" :transform="`translate(${142 + zone * 58 + 36} 17) scale(0.52)`" :d="ROMB" class="new" />
    </g>
    <path d="M119 31h13m-5-4l5 4-5 4" class="arrow" />
  </svg>
</template>

<style scoped>
svg {
  width: 100%;
  max-width: 322px;
}
.ground {
  fill: var(--paper);
}
.asked {
  fill: var(--petrol);
}
.more {
  fill: var(--amber);
}
.kept {
  fill: var(--madderWash);
}
.edge {
  fill: none;
  stroke: var(--ink);
}
.gone {
  fill: none;
  stroke: var(--quiet);
  stroke-dasharray: 3 3;
}
.new {
  fill: var(--paper);
  stroke: var(--petrol);
  stroke-width: 2.4;
  stroke-dasharray: 4 3;
}
.arrow {
  fill: none;
  stroke: var(--quiet);
  stroke-width: 1.5;
}
</style>
