<script setup lang="ts">
import { NCheckbox, NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import type { BenchActions } from '../../api/bench'
import { useRegions, useTypes } from '../../api/catalogue'
import type { Bench, InstanceType } from '../../api/client'
import { gibibytes, price, tenths } from '../../domain/format'

const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const regions = useRegions()
const region = computed(() => props.bench.variant.region_id)
const types = useTypes(region)
const find = ref('')
const zones = computed(() => props.bench.region?.zones ?? [])
const shown = computed(() => (types.data.value ?? []).filter((entry) => `${entry.name} ${entry.architecture}`.includes(find.value.toLowerCase())))
const needsZones = computed(() => props.bench.variant.survive_zone !== 'none')
const everywhere = computed(() => (types.data.value ?? []).filter((entry) => props.bench.variant.zones.every((zone) => offer(entry, zone))).length)

function offer(entry: InstanceType, zone: string) {
  return entry.offers.find((sold) => sold.zone === zone)
}
function perVcpu(entry: InstanceType): string {
  const cheapest = Math.min(...entry.offers.map((sold) => Number(sold.price_per_hour)))
  return (cheapest / entry.vcpu).toFixed(4)
}
function toggle(zone: string, on: boolean): void {
  const chosen = props.bench.variant.zones.filter((name) => name !== zone)
  props.actions.change.mutate({ zones: on ? [...chosen, zone] : chosen })
}
</script>

<template>
  <div class="supply">
    <section class="left" aria-label="regions">
      <h2>Region</h2>
      <button v-for="entry in regions.data.value" :key="entry.id" type="button" class="plain-button region" :class="{ chosen: entry.id === region }" :disabled="!mayEdit" :aria-pressed="entry.id === region" @click="actions.change.mutate({ region_id: entry.id })">
        <span><strong>{{ entry.name }}</strong> <span class="quiet">{{ entry.provider }}</span></span>
        <span class="quiet">{{ entry.zones.length }} {{ entry.zones.length === 1 ? 'zone' : 'zones' }} · {{ entry.types }} types · {{ entry.currency }}</span>
        <span class="quiet">{{ entry.note }}</span>
        <span v-if="needsZones && entry.zones.length < 2" class="madder">one zone cannot survive losing a zone</span>
      </button>
      <template v-if="zones.length">
        <h2>Zones used</h2>
        <NCheckbox v-for="zone in zones" :key="zone" :checked="bench.variant.zones.includes(zone)" :disabled="!mayEdit" @update:checked="toggle(zone, $event)">{{ zone }}</NCheckbox>
      </template>
    </section>
    <section class="right">
      <div class="head">
        <h2>What is offered where</h2>
        <span v-if="types.data.value" class="quiet">{{ everywhere }} of {{ types.data.value.length }} types in every zone used · price per node and hour, {{ bench.region?.currency }}</span>
        <NInput v-model:value="find" size="tiny" clearable placeholder="find a type" data-find :input-props="{ 'aria-label': 'find a type' }" />
      </div>
      <div v-if="region" class="scroll">
        <table>
          <thead>
            <tr><th>type</th><th class="number">vCPU</th><th class="number">GiB</th><th class="number">usable vCPU</th><th class="number">usable GiB</th><th>architecture</th><th class="number">pods</th><th class="number">per vCPU</th><th v-for="zone in zones" :key="zone" class="number" :class="{ off: !bench.variant.zones.includes(zone) }">{{ zone }}</th></tr>
          </thead>
          <tbody>
            <tr v-for="entry in shown" :key="entry.name">
              <td><strong>{{ entry.name }}</strong></td>
              <td class="number">{{ entry.vcpu }}</td>
              <td class="number">{{ gibibytes(entry.memory_bytes) }}</td>
              <td class="number" :title="`${entry.allocatable_cpu_millicores} millicores after the node’s own reservation, before daemon workloads`">{{ tenths(entry.allocatable_cpu_millicores / 1000) }}</td>
              <td class="number" :title="`${entry.allocatable_memory_bytes} bytes after reservation and eviction threshold`">{{ tenths(entry.allocatable_memory_bytes / 2 ** 30) }}</td>
              <td>{{ entry.architecture }}</td>
              <td class="number">{{ entry.most_pods }}</td>
              <td class="number quiet">{{ perVcpu(entry) }}</td>
              <td v-for="zone in zones" :key="zone" class="number" :class="{ off: !bench.variant.zones.includes(zone), missing: !offer(entry, zone) }" :title="offer(entry, zone) ? `${offer(entry, zone)?.price_per_month} a month` : `not offered in ${zone}`">
                {{ offer(entry, zone) ? price(offer(entry, zone)?.price_per_hour ?? '') : 'missing' }}
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <p v-else class="quiet">Choose a region at the left: its instance types and prices stand here then.</p>
    </section>
  </div>
</template>

<style scoped>
.supply { display: grid; grid-template-columns: 280px 1fr; height: 100%; }
.left { border-right: 1px solid var(--line); padding: 12px 14px; display: grid; gap: 8px; align-content: start; overflow: auto; }
.region { display: grid; padding: 8px 10px; border-bottom: 1px solid var(--line); }
.region:hover { background: var(--wash); } .region.chosen { background: var(--panel); box-shadow: inset 3px 0 0 var(--madder); }
.region .quiet { font-size: 12px; }
.right { padding: 12px 16px; display: grid; grid-template-rows: auto 1fr; gap: 8px; min-height: 0; }
.head { display: grid; grid-template-columns: auto 1fr 180px; gap: 14px; align-items: baseline; }
.scroll { overflow: auto; }
thead th { position: sticky; top: 0; background: var(--paper); }
.missing { color: var(--madder); font-weight: 600; }
.off { opacity: 0.35; }
</style>
