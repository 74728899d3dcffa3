<script setup lang="ts">
import { computed, ref, toRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { BenchActions } from '../../../api/bench'
import { planId, type Bench, type Problem } from '../../../api/client'
import { useCommitments, type Commitment, type HoursFrom } from '../../../api/ledger'
import { useSize } from '../../../composables/useSize'
import { exactMoney, money, percent } from '../../../domain/format'
import { nearest } from '../../../pictures/duration/layout'
import HoursInUse from '../../../pictures/duration/HoursInUse.vue'
import FaultList from '../../../ui/FaultList.vue'
import HeldInput from '../../../ui/HeldInput.vue'
import OneOf from '../../../ui/OneOf.vue'
import HeldNodes from './HeldNodes.vue'
import InterruptibleTable from './InterruptibleTable.vue'

/** What to commit to: every term of the price list for everything in use, the chosen one as a picture whose line can be moved. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const route = useRoute()
const router = useRouter()
const asked = computed(() => ({
  source: ['rehearsal', 'levels', 'plan'].find((name) => name === route.query.hours) as HoursFrom | undefined,
  rate: typeof route.query.rate === 'string' ? route.query.rate : '0',
}))
const query = useCommitments(
  toRef(() => props.bench.variant.id),
  computed(() => planId(props.bench)),
  asked,
  computed(() => props.bench.variant.beside.held),
)
const found = computed(() => query.data.value ?? null)
const error = computed(() => query.error.value as Problem | null)
const named = (entry: Commitment) => `${entry.term}: ${entry.target}${entry.in_nodes ? ` in ${entry.zones.join(', ')}` : ''}`
const chosen = computed(() => found.value?.proposals.find((entry) => named(entry) === route.query.of) ?? found.value?.proposals[0] ?? null)
const level = ref(0)
watch(chosen, (entry) => (level.value = entry?.best ?? 0), { immediate: true })
const at = computed(() => (chosen.value ? nearest(chosen.value.levels, level.value) : null))
const unit = computed(() => (chosen.value?.in_nodes ? 'nodes' : `${found.value?.currency ?? ''} an hour`))
const amount = (entry: Commitment, value: number) => (entry.in_nodes ? String(value) : value.toFixed(2))
const levelWords = computed(() => {
  if (!at.value || !chosen.value) return ''
  const saves = Number(chosen.value.on_demand) - Number(at.value.cost)
  const used = at.value.amount ? `, ${percent(at.value.used, 0)} of it used` : ''
  return `${amount(chosen.value, at.value.amount)} ${unit.value}: ${exactMoney(at.value.cost)} ${found.value?.currency ?? ''} a month, ${saves < 0 ? 'costs' : 'saves'} ${exactMoney(Math.abs(saves))}${used}`
})
const SCOPES: Record<string, string> = { 'instance type': 'by instance type', family: 'by family', spend: 'any node' }
const together = computed(() =>
  Object.entries(found.value?.together ?? {})
    .map(([scope, saves]) => ({ scope: SCOPES[scope] ?? scope, saves: Number(saves) }))
    .filter((entry) => entry.saves > 0)
    .sort((one, other) => other.saves - one.saves),
)
const HOURS = { rehearsal: 'the rehearsal', levels: 'the levels of demand', plan: 'the plan, all hours alike' }
const sources = computed(() => (found.value?.sources ?? []).map((value) => ({ value, label: HOURS[value] })))
const box = ref<HTMLElement | null>(null)
const size = useSize(box)

function set(change: Record<string, string | undefined>): void {
  void router.replace({ query: { ...route.query, ...change } })
}
function checkRate(text: string): string {
  return /^\d{1,2}([.,]\d{1,2})?$/.test(text) ? '' : `“${text}” is no yearly rate. Write percent from 0 to 99.99, such as 4.5.`
}
function setRate(text: string, kept: () => void): void {
  const rate = text.replace(',', '.')
  set({ rate: Number(rate) ? rate : undefined })
  kept()
}
const reason = ref('')
</script>

<template>
  <div class="commitments">
    <aside class="left" tabindex="0" aria-label="terms">
      <div class="tools">
        <label
          >hours from
          <OneOf
            size="tiny"
            class="pick"
            name="hours from"
            :value="found?.source ?? 'plan'"
            :options="sources"
            @update:value="set({ hours: $event })"
        /></label>
        <label
          >money a year later is worth less by
          <HeldInput
            :value="asked.rate"
            may-edit
            :check="checkRate"
            inputmode="decimal"
            aria-label="yearly rate, percent"
            @reason="reason = $event"
            @keep="setRate"
          />
          %</label
        >
      </div>
      <p v-if="reason" class="madder" role="alert">{{ reason }}</p>
      <FaultList v-if="error" :faults="error.faults ?? []" :title="error.message" />
      <table v-if="found?.proposals.length">
        <thead>
          <tr>
            <th>term</th>
            <th class="number">level</th>
            <th class="number">saves</th>
            <th class="number">even</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="entry in found.proposals" :key="named(entry)" :class="{ now: entry === chosen }">
            <td>
              <button type="button" class="plain-button" :aria-pressed="entry === chosen" @click="set({ of: named(entry) })">
                {{ entry.target
                }}<template v-if="entry.in_nodes && bench.fit && entry.zones.length < 3">, {{ entry.zones.join(', ') }}</template>
                <span class="quiet">{{ entry.term }}</span>
              </button>
            </td>
            <td class="number">{{ entry.best ? amount(entry, entry.best) : '—' }}</td>
            <td class="number">{{ entry.best ? money(entry.saves) : '—' }}</td>
            <td class="number">{{ entry.break_even_month ?? '—' }}</td>
          </tr>
        </tbody>
      </table>
      <p v-else-if="found" class="quiet">
        {{
          found.held && Object.keys(found.held).length
            ? 'Nothing beyond what is held is in use on demand.'
            : 'The price list has no terms for what is in use.'
        }}
      </p>
      <p v-if="together.length">
        Everything at its best term, one of:
        <template v-for="(entry, place) in together" :key="entry.scope"
          >{{ place ? ', ' : '' }}{{ entry.scope }} <strong>{{ money(entry.saves) }}</strong></template
        >
        {{ found?.currency }} a month saved.
      </p>
      <p class="quiet">
        Saving a month in {{ found?.currency }}, and the month in which it has paid for itself. Each is computed as if it were the only one:
        of those that bind the same nodes take one.
      </p>
    </aside>
    <section class="middle">
      <template v-if="chosen && found">
        <h2>{{ chosen.words }}</h2>
        <div ref="box" class="picture">
          <HoursInUse
            v-if="size.width.value > 0"
            v-model="level"
            :uses="chosen.uses"
            :levels="chosen.levels"
            :unit="unit"
            :words="levelWords"
            :width="size.width.value"
            :height="230"
          />
        </div>
        <p aria-live="polite">
          <strong>{{ levelWords }}.</strong>
          <button v-if="level !== chosen.best" type="button" class="plain-button" @click="level = chosen.best">
            Back to the level that costs least
          </button>
          <template v-else-if="chosen.up_to > chosen.best"> Every level up to {{ amount(chosen, chosen.up_to) }} costs the same.</template>
        </p>
        <dl v-if="chosen.best">
          <dt>on demand alone</dt>
          <dd>{{ exactMoney(chosen.on_demand) }} a month</dd>
          <dt>if a quarter of the demand goes</dt>
          <dd :class="{ madder: Number(chosen.after_fall) < 0 }">
            {{ Number(chosen.after_fall) < 0 ? 'costs' : 'saves' }} {{ exactMoney(Math.abs(Number(chosen.after_fall))) }} a month
          </dd>
          <dt>paid at the start</dt>
          <dd>{{ exactMoney(chosen.paid_at_once) }}</dd>
          <dt>net present value</dt>
          <dd>{{ exactMoney(chosen.net_present_value) }} over {{ chosen.months }} months</dd>
          <dt>breaks even</dt>
          <dd>
            {{ chosen.break_even_month ? `in month ${chosen.break_even_month}, even if it were never used again` : 'not within its term' }}
          </dd>
        </dl>
        <p class="quiet">
          What is committed costs {{ percent(chosen.price_share, 0) }} of the price on demand for every hour, used or not. It is worth it up
          to the level above which no more than {{ percent(chosen.price_share, 0) }} of the hours lie. Licences and disks are the same
          either way and left out.
        </p>
      </template>
      <HeldNodes v-if="found" :bench="bench" :held="found.held" :actions="actions" :may-edit="mayEdit" />
      <InterruptibleTable v-if="found" :found="found" />
    </section>
  </div>
</template>

<style scoped>
.commitments {
  display: grid;
  grid-template-columns: minmax(330px, 400px) minmax(0, 1fr);
  height: 100%;
  min-height: 0;
  font-size: 12px;
}
.left {
  overflow: auto;
  padding: 12px 14px;
  border-right: 1px solid var(--line);
  display: grid;
  gap: 10px;
  align-content: start;
}
.middle {
  overflow: auto;
  padding: 12px 18px;
  display: grid;
  gap: 10px;
  align-content: start;
}
.tools {
  display: grid;
  gap: 6px;
}
.tools label {
  display: flex;
  gap: 6px;
  align-items: center;
}
.pick {
  width: 190px;
}
input {
  width: 40px;
  font: inherit;
  color: inherit;
  background: transparent;
  border: 0;
  border-bottom: 1px solid var(--line);
  text-align: right;
}
table {
  width: 100%;
}
td button {
  text-align: left;
}
td button span {
  display: block;
}
tr.now {
  background: var(--wash, rgb(0 0 0 / 4%));
}
h2 {
  font-size: 14px;
}
dl {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 3px 16px;
  margin: 0;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
}
</style>
