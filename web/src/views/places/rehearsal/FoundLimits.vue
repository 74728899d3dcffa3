<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import { underWay, type Inquiry } from '../../../api/client'
import type { PoolLimit } from '../../../api/rehearsal'
import { clock } from '../../../domain/drill'
import { exactMoney, money, percent } from '../../../domain/format'
import CostAgainstWaiting from '../../../pictures/sufficing/CostAgainstWaiting.vue'
import { offerName } from '../../../domain/rehearsal'
import InquiryLine from '../../../ui/InquiryLine.vue'

/** Limits under which the promise held, with what set each; taking them writes them to the variant. */
const props = defineProps<{ inquiry: Inquiry | null; promise: number; currency: string; mayEdit: boolean }>()
const emit = defineEmits<{ ask: []; stop: [id: number]; take: [limits: PoolLimit[]] }>()
const found = computed(() => props.inquiry?.limits ?? null)
const tried = computed(() =>
  (found.value?.trials ?? []).map((trial) => ({ cost: Number(trial.cost), late: trial.late_share, words: trial.words })),
)
const trials = computed(() => found.value?.trials.slice(0, 8) ?? [])
function take(): void {
  emit(
    'take',
    (found.value?.limits ?? []).map(({ offer, range }) => ({ ...offer, ...range })),
  )
}
</script>

<template>
  <section aria-label="limits that hold">
    <h2>Limits that hold</h2>
    <p v-if="!found && !underWay(inquiry)" class="quiet">
      The cheapest limits found under which at most {{ promise }} % of the demand is late, played with twenty seeds.
    </p>
    <InquiryLine :inquiry="inquiry" :may-edit="mayEdit" doing="played" @ask="emit('ask')" @stop="emit('stop', $event)" />
    <template v-if="found && !underWay(inquiry)">
      <p v-if="found.reason" class="madder">{{ found.reason }}</p>
      <template v-else>
        <p>
          Held in {{ found.held }} of {{ found.runs }} runs: with 95 % confidence in at least {{ found.sure_percent.toFixed(0) }} % of all.
        </p>
        <p :title="`${exactMoney(found.cost)} against ${exactMoney(found.before)} ${currency}`">
          {{ money(found.cost) }} {{ currency }} for the time that is played, {{ money(found.before) }} before.
        </p>
        <ul class="limits">
          <li v-for="entry in found.limits" :key="`${entry.offer.instance_type} ${entry.offer.purchase} ${entry.offer.zone}`">
            <strong>{{ offerName(entry.offer) }}</strong> {{ entry.range.least }}–{{ entry.range.most
            }}<template v-if="entry.range.kept_back">, {{ entry.range.kept_back }} kept free</template>
            <span class="quiet">
              least: {{ entry.least_because }}; most: {{ entry.most_because
              }}<template v-if="entry.kept_because">; kept free: {{ entry.kept_because }}</template></span
            >
          </li>
        </ul>
        <NButton v-if="mayEdit" size="tiny" type="primary" @click="take">Take and play</NButton>
      </template>
      <p v-if="found.rise" class="quiet">
        While a node starts ({{ clock(found.rise.within_s) }} with the look-out) what demand asks for rises by up to
        {{ percent(found.rise.share, 1) }} of its peak, {{ found.rise.percentile }}th percentile: room for that is among what was tried as
        kept free.
      </p>
      <CostAgainstWaiting
        v-if="tried.length > 1"
        :tried="tried"
        :promise="promise / 100"
        :before="Number(found.before)"
        :found="found.reason ? null : Number(found.cost)"
        :currency="currency"
        :width="250"
        :height="150"
      />
      <details v-if="trials.length">
        <summary>cost against waiting, in figures</summary>
        <table>
          <thead>
            <tr>
              <th>limits that were tried</th>
              <th class="number">{{ currency }}</th>
              <th class="number">late</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="trial in trials" :key="trial.cost">
              <td>{{ trial.words }}</td>
              <td class="number">{{ money(trial.cost) }}</td>
              <td class="number">{{ percent(trial.late_share, 3) }}</td>
            </tr>
          </tbody>
        </table>
      </details>
    </template>
    <p v-if="mayEdit && !underWay(inquiry)">
      <NButton size="tiny" @click="emit('ask')">{{ found ? 'Look again' : 'Find limits that hold' }}</NButton>
    </p>
  </section>
</template>

<style scoped>
section {
  padding-top: 12px;
}
p,
.limits,
table {
  font-size: 12px;
  padding: 3px 0;
}
table {
  width: 100%;
}
th {
  font-weight: 450;
  text-align: left;
}
th.number,
td.number {
  text-align: right;
}
.limits {
  list-style: none;
  margin: 0;
}
.limits li {
  padding: 2px 0;
  border-bottom: 1px solid var(--line);
}
summary {
  cursor: pointer;
  font-size: 12px;
}
</style>
