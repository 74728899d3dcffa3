<script setup lang="ts">
import { NCheckbox } from 'naive-ui'
import { computed, ref, toRef } from 'vue'
import { useAvailability, type RegionPlan } from '../../../api/availability'
import type { BenchActions } from '../../../api/bench'
import { useRegions } from '../../../api/catalogue'
import { underWay, type Bench, type Problem, type Schemas } from '../../../api/client'
import { useInquiry } from '../../../api/inquiries'
import { exactMoney, percent, plural } from '../../../domain/format'
import { felt } from '../../../domain/minutes'
import AskWhole from '../../../ui/AskWhole.vue'
import FaultList from '../../../ui/FaultList.vue'
import { decimalNumber, wholeNumber } from '../../../domain/typed'
import HeldInput from '../../../ui/HeldInput.vue'

/** One region, one more that stands by, or all that serve: what each way costs beside the minutes it buys. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const variant = toRef(() => props.bench.variant.id)
const answer = useAvailability(
  variant,
  toRef(() => props.bench.fit?.id ?? 0),
)
const inquiry = useInquiry(variant, 'regions')
const catalogue = useRegions()
const known = computed(() => (catalogue.data.value ?? []).filter((entry) => entry.name !== props.bench.region?.name))
const found = computed(() => inquiry.now.value?.regions ?? null)
const journeys = computed(() => answer.data.value?.journeys ?? [])
const beyond = computed(() => props.bench.variant.beyond)
const error = computed(() => props.actions.change.error.value as Problem | null)
const faults = computed(() => error.value?.faults.filter((fault) => fault.path.startsWith('beyond')) ?? [])
const first = computed(() => found.value?.plans.find((way) => way.together === 'one region') ?? null)
const words = { 'one region': 'alone', 'one stands by': 'leads, the other stands by', 'all serve': 'serve together' }
const figures = [
  ['entry', 'entry point available, %', 'in series with everything where all serve'],
  ['redirect_s', 'until it redirects, s', 'where all serve: from a failure to the last request sent there'],
  ['switch_s', 'until one that stands by has taken over, s', 'detection, decision, promotion of data'],
  ['lag_s', 'its data lies behind, s', 'what a switch may lose'],
] as const

function set(change: Partial<Schemas['BeyondIn']>, kept?: () => void): void {
  props.actions.change.mutate({ beyond: { ...beyond.value, ...change } }, { onSuccess: kept })
}
function edit(field: (typeof figures)[number][0], text: string, kept: () => void): void {
  const plain = text.replace(',', '.')
  set({ [field]: field === 'entry' ? plain : Number(plain) }, kept)
}
const reason = ref('')
function pick(id: number, on: boolean): void {
  set({ region_ids: on ? [...(beyond.value.region_ids ?? []), id] : (beyond.value.region_ids ?? []).filter((known) => known !== id) })
}
function more(way: RegionPlan): string {
  if (!way.cost || !first.value?.cost || way === first.value) return ''
  const extra = Number(way.cost) - Number(first.value.cost)
  return `${extra >= 0 ? '+' : '−'}${exactMoney(Math.abs(extra))}`
}
</script>

<template>
  <div class="regions">
    <section class="wide">
      <AskWhole
        :inquiry="inquiry"
        :answered="!!found"
        :may-ask="bench.fit_is_current && journeys.length > 0"
        :may-edit="mayEdit"
        first="Compare the ways"
        again="Compare again"
        doing="fitting:"
      >
        <h2>More than one region</h2>
      </AskWhole>
      <table v-if="found?.plans.length">
        <thead>
          <tr>
            <th>regions</th>
            <th>each bears</th>
            <th class="number">{{ bench.study.currency }} a month</th>
            <th class="number">more</th>
            <th v-for="entry in journeys" :key="entry.name" class="number">{{ entry.name }}, downtime a month</th>
            <th class="number">switches a year</th>
            <th class="number">data lost a year</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="way in found.plans" :key="way.together + way.regions.join()">
            <td>
              <strong>{{ way.regions.join(', ') }}</strong> <span class="quiet">{{ words[way.together] }}</span>
            </td>
            <td class="quiet">
              {{ way.bears.every((part) => part > 0.999) ? 'all' : way.bears.map((part) => percent(part, 0)).join(', ') }}
            </td>
            <td class="number">{{ way.cost ? exactMoney(way.cost) : 'no fit' }}</td>
            <td class="number quiet">{{ more(way) }}</td>
            <td v-for="entry in journeys" :key="entry.name" class="number">
              <strong
                v-if="way.journeys[entry.name]"
                :class="{ madder: entry.stated && (way.journeys[entry.name]?.minutes ?? 0) > entry.allowed_minutes }"
                >{{ felt(way.journeys[entry.name]?.minutes ?? 0) }}</strong><span v-else class="quiet" :title="way.reasons.join(' ')"
                >—</span
              >
            </td>
            <td class="number">
              {{
                way.cost && way.together === 'one stands by'
                  ? Math.max(0, ...Object.values(way.journeys).map((entry) => entry.switches_per_year)).toFixed(2)
                  : '–'
              }}
            </td>
            <td class="number">
              {{
                way.cost && way.together === 'one stands by'
                  ? felt(Math.max(0, ...Object.values(way.journeys).map((entry) => entry.lost_data_s_per_year)) / 60)
                  : '–'
              }}
            </td>
          </tr>
        </tbody>
      </table>
      <p v-for="line in found?.left_out" :key="line" class="madder">{{ line }}</p>
      <p v-if="!found && !underWay(inquiry.now.value)" class="quiet">
        {{
          journeys.length
            ? 'The whole demand is really fitted in each region. Of several that serve each is sized so that one may vanish; one that stands by is sized for everything.'
            : 'State a journey first, under Journeys.'
        }}
      </p>
      <p v-else class="quiet">
        What stands outside is shared by all regions and no number of them helps it. What a region loses inside is redirected or switched
        too; a redirection costs the share of requests that were on their way.
      </p>
    </section>
    <section>
      <h2>Which, and what lies between</h2>
      <p class="quiet">Regions looked at besides {{ bench.region?.name }}; none chosen: the first two of the same provider.</p>
      <NCheckbox
        v-for="region in known"
        :key="region.id"
        :checked="(beyond.region_ids ?? []).includes(region.id)"
        :disabled="!mayEdit"
        @update:checked="pick(region.id, $event)"
        >{{ region.provider }}, {{ region.name }}
        <span class="quiet">{{ plural(region.zones.length, 'zone') }}{{ region.note ? `, ${region.note}` : '' }}</span></NCheckbox
      >
      <label v-for="[field, title, text] in figures" :key="field"
        ><span
          >{{ title }} <span class="quiet">{{ text }}</span></span
        ><HeldInput
          inputmode="decimal"
          :value="beyond[field]"
          :may-edit="mayEdit"
          :check="(text) => decimalNumber(text, title)"
          :aria-label="title"
          @reason="reason = $event"
          @keep="(text, kept) => edit(field, text, kept)"
      /></label>
      <label
        ><span>requests to {{ bench.region?.name }}, % <span class="quiet">where all serve; empty: all regions alike</span></span
        ><HeldInput
          inputmode="numeric"
          :value="beyond.first_percent"
          :may-edit="mayEdit"
          :check="(text) => wholeNumber(text, 'the share of requests', 1, 'all regions alike')"
          aria-label="share of requests to the first region in percent"
          @reason="reason = $event"
          @keep="(text, kept) => set({ first_percent: text === '' ? null : Number(text) }, kept)"
      /></label>
      <p v-if="reason" class="madder" role="alert">{{ reason }}</p>
      <FaultList v-if="faults.length" :faults="faults" :title="error?.message ?? ''" />
    </section>
    <section v-if="answer.data.value">
      <h2>Control plane, apart from serving</h2>
      <p>
        <strong>{{ felt(answer.data.value.plane.minutes_month) }}</strong> a month without a majority, by the failure figures:
        {{
          Object.entries(answer.data.value.plane.by_zone)
            .filter(([, count]) => count)
            .map(([zone, count]) => `${count} in ${zone}`)
            .join(', ')
        }}.
        <template v-if="answer.data.value.plane.promised_minutes !== null"
          >Its tier promises at most {{ felt(answer.data.value.plane.promised_minutes) }}.</template
        >
      </p>
      <p v-for="line in answer.data.value.plane.surprises" :key="line" class="amber">{{ line }}</p>
      <h3>what stops meanwhile</h3>
      <ul>
        <li v-for="line in answer.data.value.plane.stops" :key="line">{{ line }}</li>
      </ul>
    </section>
  </div>
</template>

<style scoped>
.regions {
  padding: 14px 20px;
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 20px 40px;
  align-content: start;
  overflow: auto;
  height: 100%;
}
section {
  display: grid;
  gap: 8px;
  align-content: start;
}
.wide {
  grid-column: 1 / -1;
}
td,
th {
  padding: 5px 10px 5px 0;
}
p,
li {
  font-size: 12px;
}
ul {
  margin: 0;
  padding-left: 16px;
}
label {
  display: grid;
  grid-template-columns: 1fr 90px;
  gap: 12px;
  align-items: center;
  border-bottom: 1px solid var(--line);
  padding-bottom: 4px;
}
label input {
  font: inherit;
  color: inherit;
  background: transparent;
  border: 0;
  border-bottom: 1px solid var(--line);
  text-align: right;
}
.amber {
  color: var(--amber);
}
</style>
