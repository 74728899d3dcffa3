<script setup lang="ts">
import { computed } from 'vue'
import type { AddressPlan, AddressRange } from '../../api/addresses'
import { stripsOf, ticksOf } from './layout'

/** A parent range to scale, and below it every range as a strip on an axis of powers of two, zone by zone. */
const props = defineProps<{ plan: AddressPlan; nodes: number }>()
const zones = computed(() => stripsOf(props.plan, props.nodes))
const ticks = computed(() => ticksOf(props.plan))
const share = (part: number) => `${100 * part}%`
function carries(range: AddressRange): string {
  const growth = range.kept === range.range ? '' : `, can grow into ${range.kept}`
  return `${range.name}: ${range.first} to ${range.last}, ${range.addresses} addresses, ${range.needs} needed${growth}`
}
</script>

<template>
  <div class="map">
    <div class="parent" role="img" :aria-label="`${plan.parent} and what is taken of it`">
      <span
        v-for="used in plan.used"
        :key="`used ${used.range}`"
        class="used"
        :style="{ left: share(used.offset), width: share(used.width) }"
        :title="`${used.range} in use: ${used.name || 'elsewhere'}`"
      />
      <template v-for="range in plan.ranges" :key="range.name">
        <span
          class="kept"
          :style="{ left: share(range.offset), width: share(range.kept_width) }"
          :title="`${range.kept} kept for ${range.name}`"
        />
        <span class="taken" :class="range.role" :style="{ left: share(range.offset), width: share(range.width) }" :title="carries(range)" />
      </template>
    </div>
    <p class="ends quiet">
      <span>{{ plan.parent }}</span><span class="key"
        ><i class="taken pods" /> pods <i class="taken nodes" /> nodes <i class="taken public" /> public
        <i class="taken services" /> services <i class="kept" /> kept for growth <i class="used" /> in use elsewhere</span
      >
    </p>
    <table>
      <thead>
        <tr>
          <th>zone</th>
          <th>carries</th>
          <th>range</th>
          <th class="axis" aria-label="addresses, on an axis of powers of two: needed, of the range, kept for growth">
            <span v-for="tick in ticks" :key="tick.bits" :style="{ left: share(tick.at) }">{{ tick.label }}</span>
          </th>
          <th class="number">nodes</th>
          <th class="number">once grown</th>
        </tr>
      </thead>
      <tbody v-for="lane in zones" :key="lane.zone">
        <tr v-for="(strip, place) in lane.strips" :key="strip.range.name" :class="strip.state" :title="carries(strip.range)">
          <th v-if="place === 0" scope="rowgroup" :rowspan="lane.strips.length">{{ lane.zone || 'region' }}</th>
          <td>{{ strip.range.role }}</td>
          <td class="mono">{{ strip.range.range }}</td>
          <td class="axis">
            <span class="kept" :style="{ width: share(strip.kept) }" />
            <span class="size" :class="strip.range.role" :style="{ width: share(strip.size) }" />
            <span class="needs" :class="strip.range.role" :style="{ width: share(strip.needs) }" />
          </td>
          <td class="number">{{ strip.range.nodes ?? '' }}</td>
          <td class="number">{{ strip.range.nodes_grown ?? '' }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.map {
  display: grid;
  gap: 6px;
}
.parent {
  position: relative;
  height: 30px;
  border: 1px solid var(--line);
}
.parent span {
  position: absolute;
  top: 0;
  bottom: 0;
  min-width: 2px;
}
.ends {
  display: flex;
  justify-content: space-between;
  font-size: 11px;
}
.key i {
  display: inline-block;
  width: 14px;
  height: 9px;
  margin-left: 10px;
}
.used {
  background: repeating-linear-gradient(45deg, var(--quiet) 0 1px, transparent 1px 4px);
}
.kept {
  border: 1px dashed var(--quiet);
  box-sizing: border-box;
}
.pods {
  --own: var(--petrol);
}
.nodes {
  --own: var(--ink);
}
.public {
  --own: var(--madder);
}
.services {
  --own: var(--amber);
}
.taken,
.size,
.needs {
  background: var(--own);
}
table {
  width: 100%;
  font-size: 12px;
}
tbody th {
  text-align: left;
  font-weight: 650;
  vertical-align: top;
}
th.axis,
td.axis {
  position: relative;
  width: 42%;
}
th.axis {
  height: 16px;
  font-weight: 400;
}
th.axis span {
  position: absolute;
  transform: translateX(-50%);
  font-size: 10px;
}
td.axis span {
  position: absolute;
  left: 0;
  top: 5px;
  bottom: 5px;
}
td.axis .size {
  opacity: 0.35;
}
.short td:not(.axis) {
  color: var(--madder);
  font-weight: 650;
}
.grows td:not(.axis) {
  color: var(--amber);
}
.mono {
  white-space: nowrap;
}
</style>
