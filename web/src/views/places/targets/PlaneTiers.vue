<script setup lang="ts">
import { NRadioButton, NRadioGroup } from 'naive-ui'
import { computed } from 'vue'
import type { Bench } from '../../../api/client'
import { exactMoney, plural } from '../../../domain/format'

/** Members of the control plane and the provider's tier: what its API promises, where it stands, what it costs. */
const props = defineProps<{ bench: Bench; mayEdit: boolean }>()
const emit = defineEmits<{ members: [count: 1 | 3 | 5]; tier: [name: string] }>()
const lost: Record<number, string> = {
  1: 'losing it stops the API',
  3: 'survives the loss of one member',
  5: 'survives the loss of two members',
}
const minutes = (percent: string) => ((1 - Number(percent) / 100) * 30 * 24 * 60).toFixed(1).replace(/\.0$/, '')
const chosen = computed(() => props.bench.variant.tier)
</script>

<template>
  <div class="plane">
    <div class="members">
      <NRadioGroup
        :value="bench.variant.control_plane_members"
        size="small"
        name="members"
        :disabled="!mayEdit"
        @update:value="emit('members', $event)"
      >
        <NRadioButton v-for="count in [1, 3, 5]" :key="count" :value="count">{{ count }}</NRadioButton>
      </NRadioGroup>
      <span class="quiet"
        >{{ lost[bench.variant.control_plane_members] }}; a majority must stand. Workloads run on without it, but nothing heals, scales or
        lands.</span
      >
    </div>
    <table v-if="bench.tiers.length">
      <thead>
        <tr>
          <th>tier</th>
          <th class="number">members</th>
          <th>stands in</th>
          <th class="number">API promised</th>
          <th class="number">may be down</th>
          <th class="number">fee a month</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="tier in bench.tiers" :key="tier.name" :class="{ chosen: tier.name === chosen }">
          <td>
            <button
              type="button"
              class="plain-button"
              :disabled="!mayEdit"
              :aria-pressed="tier.name === chosen"
              @click="emit('tier', tier.name === chosen ? '' : tier.name)"
            >
              <strong>{{ tier.name }}</strong><span v-if="tier.name === chosen" class="madder"> · chosen</span>
            </button>
          </td>
          <td class="number">{{ tier.members }}</td>
          <td>{{ tier.spans_zones ? 'different zones' : 'one zone' }}</td>
          <td class="number">{{ tier.uptime_percent ? `${tier.uptime_percent} %` : 'no promise' }}</td>
          <td class="number" title="in a month of 30 days">{{ tier.uptime_percent ? `${minutes(tier.uptime_percent)} min` : '—' }}</td>
          <td class="number">{{ Number(tier.fee_per_month) ? `${exactMoney(tier.fee_per_month)} ${bench.study.currency}` : 'free' }}</td>
        </tr>
      </tbody>
    </table>
    <p v-else class="quiet">
      {{ bench.region ? `${plural(0, 'tier')} on this provider’s list.` : 'Choose a region first; the tiers are its provider’s.' }}
    </p>
  </div>
</template>

<style scoped>
.plane {
  display: grid;
  gap: 8px;
}
.members {
  display: flex;
  gap: 12px;
  align-items: center;
}
.chosen td {
  background: var(--panel);
}
.chosen td:first-child {
  box-shadow: inset 3px 0 0 var(--madder);
  padding-left: 10px;
}
</style>
