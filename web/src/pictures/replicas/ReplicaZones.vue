<script setup lang="ts">
import { computed } from 'vue'
import type { JourneyLink } from '../../api/availability'
import { plural } from '../../domain/format'
import { stacks } from './layout'

/** One workload's replicas by zone: a stack a zone, a block a node; the line is what must serve without the fullest zone. */
const props = defineProps<{ link: JourneyLink; chosen: boolean }>()
const picture = computed(() => stacks(props.link))
const alone = computed(() => picture.value.left < props.link.needed && props.link.windows[1] === null)
const words = computed(
  () =>
    `${props.link.name}: ${picture.value.zones.map((zone) => `${zone.count} in ${zone.name} on ${plural(zone.blocks.length, 'node')}`).join(', ')}; ${props.link.needed} must serve`,
)
</script>

<template>
  <figure :class="{ chosen }" :title="words">
    <svg viewBox="0 0 120 78" role="img" :aria-label="words">
      <g v-for="(zone, place) in picture.zones" :key="zone.name" :transform="`translate(${place * (120 / picture.zones.length)} 0)`">
        <rect
          v-for="block in zone.blocks"
          :key="block.from"
          x="4"
          :y="52 - 46 * (block.from + block.size)"
          :width="120 / picture.zones.length - 8"
          :height="Math.max(1, 46 * block.size - 1)"
          class="block"
        />
        <text :x="60 / picture.zones.length" y="63" class="count">{{ zone.count }}</text>
        <text :x="60 / picture.zones.length" y="75">{{ zone.name }}</text>
      </g>
      <line x1="0" x2="120" y1="52" y2="52" class="ground" />
    </svg>
    <figcaption>
      <strong>{{ link.name }}</strong>
      <span :class="alone ? 'madder' : 'quiet'" :title="alone ? 'fewer than must serve are left, and nothing takes their place' : ''"
        >{{ link.needed }} of {{ link.replicas }} · −{{ picture.fullest }}: {{ picture.left }}</span
      >
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0;
  padding: 4px 6px;
  border: 1px solid var(--line);
  background: var(--panel);
}
figure.chosen {
  box-shadow: inset 0 3px 0 var(--madder);
}
svg {
  width: 100%;
  display: block;
}
.block {
  fill: var(--petrol);
}
.ground {
  stroke: var(--quiet);
}
text {
  font-size: 11px;
  text-anchor: middle;
  fill: var(--quiet);
}
.count {
  fill: var(--ink);
  font-weight: 600;
  font-variant-numeric: tabular-nums;
}
figcaption {
  font-size: 11px;
  display: grid;
}
figcaption span {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
figcaption strong {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
</style>
