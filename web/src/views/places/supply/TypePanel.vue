<script setup lang="ts">
import { computed } from 'vue'
import type { TypeDetail } from '../../../api/client'
import { exactMoney, gibibytes, plural, price, times } from '../../../domain/format'
import Waterfall from '../../../pictures/waterfall/Waterfall.vue'

/** One type: what a node can really use, where it is sold and for what, and what comes nearest where it is not. */
const props = defineProps<{ detail: TypeDetail; currency: string }>()
const emit = defineEmits<{ close: [] }>()
const extras = computed(() =>
  [
    props.detail.architecture,
    props.detail.accelerators ? plural(props.detail.accelerators, 'accelerator') : '',
    props.detail.disk_bytes ? `${gibibytes(props.detail.disk_bytes)} GiB local disk` : '',
    props.detail.most_volumes === null ? '' : `at most ${props.detail.most_volumes} volumes`,
    props.detail.network_mbps ? `${props.detail.network_mbps / 1000} Gbit/s` : '',
    ...Object.entries(props.detail.resources).map(([name, amount]) => `${amount} ${name}`),
  ].filter(Boolean),
)
const cores = (amount: number) => `${(amount / 1000).toFixed(2)}`
const gib = (amount: number) => `${(amount / 2 ** 30).toFixed(2)}`
const pods = computed(() => `${props.detail.capacity.pods} pods, ${props.detail.usable.pods} of them free for workloads`)
</script>

<template>
  <aside class="panel" tabindex="0" :aria-label="`instance type ${detail.name}`">
    <header>
      <h2>{{ detail.name }}</h2>
      <button type="button" class="plain-button quiet" @click="emit('close')">close</button>
    </header>
    <p class="quiet">{{ extras.join(' · ') }}</p>
    <section v-for="gap in detail.missing" :key="gap.zone" class="gap">
      <h3>
        <strong>{{ gap.why }} in {{ gap.zone }}</strong
        >; nearest there:
      </h3>
      <table v-if="gap.nearest.length">
        <thead>
          <tr>
            <th>type</th>
            <th class="number">vCPU</th>
            <th class="number">GiB</th>
            <th class="number">price</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="near in gap.nearest" :key="near.name" :title="`${near.price_per_hour} ${currency} an hour`">
            <td>{{ near.name }}</td>
            <td class="number">{{ times(near.cpu_ratio) }}</td>
            <td class="number">{{ times(near.memory_ratio) }}</td>
            <td class="number">{{ times(near.price_ratio) }}</td>
          </tr>
        </tbody>
      </table>
      <p v-else class="quiet">Nothing of this architecture is sold there.</p>
    </section>
    <Waterfall :detail="detail" resource="cpu_millicores" title="vCPU, from capacity to usable" :show="cores" />
    <Waterfall :detail="detail" resource="memory_bytes" title="GiB, from capacity to usable" :show="gib" />
    <p class="quiet">
      {{ pods }}. The scale is cut where two strokes stand. <span class="key keeps" /> kept by the node <span class="key daemon" /> daemon
      workloads
    </p>
    <table>
      <thead>
        <tr>
          <th>zone</th>
          <th>bought</th>
          <th class="number">an hour</th>
          <th class="number">a month</th>
          <th>limit</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="offer in detail.offers" :key="`${offer.zone} ${offer.purchase}`">
          <td>{{ offer.zone }}</td>
          <td>{{ offer.purchase }}</td>
          <td class="number">{{ price(offer.price_per_hour) }}</td>
          <td class="number" :title="`${offer.price_per_hour} ${currency} × 730 hours`">{{ exactMoney(offer.price_per_month) }}</td>
          <td class="quiet">
            <span v-if="!offer.in_stock" class="madder">out of stock</span>
            <span v-else-if="offer.most_nodes !== null">{{ plural(offer.most_nodes, 'node') }}</span>
            <span
              v-else-if="offer.interruptions_per_hour"
              :title="`${offer.interruptions_per_hour} interruptions an hour are to be expected`"
              >reclaimed after about {{ Math.round(1 / Number(offer.interruptions_per_hour)) }} h</span
            >
          </td>
        </tr>
      </tbody>
    </table>
  </aside>
</template>

<style scoped>
.panel {
  border-left: 1px solid var(--line);
  padding: 12px 14px;
  overflow: auto;
  display: grid;
  gap: 10px;
  align-content: start;
  background: var(--panel);
}
header {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
}
td,
th {
  padding: 2px 4px;
  font-size: 12px;
}
.key {
  display: inline-block;
  width: 9px;
  height: 9px;
  margin-left: 8px;
}
.keeps {
  background: var(--madderWash);
}
.daemon {
  background: var(--amber);
}
.gap {
  border-left: 3px solid var(--madder);
  padding-left: 10px;
  display: grid;
  gap: 4px;
}
</style>
