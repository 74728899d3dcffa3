<script setup lang="ts">
import { NCheckbox, useMessage } from 'naive-ui'
import { computed, ref, watch, watchEffect } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { tightest, useAvailability } from '../api/availability'
import { fallsShort, useAddresses } from '../api/addresses'
import { useBench, useBenchActions } from '../api/bench'
import { useMatrix } from '../api/catalogue'
import { isPlan, planId, underWay, type Problem } from '../api/client'
import { useInquiry } from '../api/inquiries'
import { PLACES, type PlaceName } from '../domain/places'
import { KEYS, keyOf, singleKeys, useKeys } from '../composables/useKeys'
import { mayEditAs } from '../composables/useMayEdit'
import { useSignedIn } from '../composables/useSignedIn'
import NextStep from '../ui/NextStep.vue'
import OpenSheet from '../ui/OpenSheet.vue'
import PersonMenu from '../ui/PersonMenu.vue'
import RunStrip from '../ui/RunStrip.vue'
import SigningLine from '../ui/SigningLine.vue'
import StarterLine from '../ui/StarterLine.vue'
import Thread, { type Place } from '../ui/Thread.vue'
import VerdictBand from '../ui/VerdictBand.vue'
import WhyDialog from '../ui/WhyDialog.vue'
import Addresses from './places/Addresses.vue'
import Demand from './places/Demand.vue'
import Drills from './places/Drills.vue'
import FitPlace from './places/Fit.vue'
import Handover from './places/Handover.vue'
import Ledger from './places/Ledger.vue'
import Preflight from './places/Preflight.vue'
import Rehearsal from './places/Rehearsal.vue'
import Supply from './places/Supply.vue'
import Targets from './places/Targets.vue'

const route = useRoute()
const router = useRouter()
const message = useMessage()
const person = useSignedIn()

const variant = computed(() => Number(route.params.variant))
const here = computed(() => String(route.params.place))
const bench = useBench(variant)
const data = computed(() => bench.data.value)
// Asked for at once, so that Supply stands there when it is opened, whatever the size of the price list.
useMatrix(
  variant,
  computed(() => data.value?.variant.region_id ?? null),
)
const availability = useAvailability(
  variant,
  computed(() => data.value?.fit?.id ?? 0),
)
const addresses = useAddresses(
  variant,
  computed(() => (data.value && isPlan(data.value.fit) ? planId(data.value) : 0)),
)
const tooFew = computed(() => fallsShort(addresses.data.value))
const hardest = computed(() => tightest(availability.data.value))
const actions = useBenchActions(
  variant,
  computed(() => data.value?.study.id),
)
const mayEdit = computed(() => mayEditAs(person.data.value?.role, data.value?.yours))
const running = computed(() => underWay(data.value?.run))
const drills = useInquiry(variant, 'drills')
/** After a whole fit the study's rehearsal is asked for by itself, once the design whose limits it plays stands. */
const rehearsal = useInquiry(variant, 'rehearsal', undefined, (known) => {
  const fit = data.value?.fit
  return !!data.value?.study.rehearses && data.value.fit_is_current && isPlan(fit) && known?.fit_id !== fit.id
})
const marks = computed(() => drills.now.value?.drills?.results.map((result) => result.mark) ?? [])
const lost = ref<string | null>(null)
/** The letters of a zone typed so far; null: none is asked for. */
const typedZone = ref<string | null>(null)
const showKeys = ref(false)

const places = computed<Place[]>(() => {
  const bench = data.value
  const supply = bench?.region && bench.variant.zones.length ? (bench.news ? 'look' : 'settled') : 'empty'
  const demand = bench?.workloads.length ? (bench.faults.some((f) => f.path.startsWith('demand')) ? 'look' : 'settled') : 'empty'
  const fit = !bench?.fit ? 'empty' : !isPlan(bench.fit) || !bench.fit_is_current ? 'look' : 'settled'
  const lacking =
    bench?.variant.survive_zone === 'none' ||
    !!bench?.deviations.length ||
    hardest.value?.met === false ||
    !!availability.data.value?.faults.length ||
    bench?.findings.some((entry) => entry.place === 'targets' && entry.level === 'stop')
  const stops = bench?.findings.some((entry) => entry.level === 'stop')
  const states: Record<PlaceName, Place['state']> = {
    supply,
    targets: lacking ? 'look' : 'settled',
    demand,
    fit,
    addresses: !bench?.variant.addresses.parent && !bench?.variant.addresses.parent6 ? 'empty' : tooFew.value ? 'look' : 'settled',
    preflight: !bench?.fit ? 'empty' : stops ? 'look' : 'settled',
    drills: !marks.value.length ? 'empty' : marks.value.includes('broken') ? 'look' : 'settled',
    rehearsal: !rehearsal.now.value?.rehearsal?.outcome ? 'empty' : rehearsal.now.value.is_current ? 'settled' : 'look',
    ledger: fit,
    handover: fit === 'settled' ? 'settled' : 'empty',
  }
  return PLACES.map((place) => ({ ...place, state: states[place.name] }))
})

watchEffect(() => {
  const place = places.value.find((entry) => entry.name === here.value)?.title ?? ''
  document.title = data.value ? `${place}, ${data.value.variant.name} · ${data.value.study.name} · Rombel` : 'Rombel'
})

const asksWhy = computed(() => {
  const problem = actions.change.error.value as Problem | null
  return problem?.faults?.some((fault) => fault.code.startsWith('house.')) ? problem : null
})
for (const mutation of [actions.fit, actions.stop, actions.undo, actions.redo, actions.change]) {
  watch(
    mutation.error,
    (error) =>
      error &&
      !asksWhy.value &&
      message.error([error.message, ...((error as Problem).faults ?? []).map((fault) => fault.reason)].join(' ')),
  )
}
/** What was undone or done again is said, as it may stand in a place that is not shown. */
function walk(forward: boolean): void {
  const what = forward ? data.value?.edits.redo : data.value?.edits.undo
  ;(forward ? actions.redo : actions.undo).mutate(undefined, {
    onSuccess: () => what && message.info(`${forward ? 'Done again' : 'Undone'}: ${what}`),
  })
}
function sayWhy(why: string): void {
  actions.change.mutate({ ...actions.change.variables.value, why })
}

function go(place: string, to = variant.value): void {
  // What a place keeps in its address is its own; another variant's same place is shown as this one was.
  void router.push({ path: `/bench/${to}/${place}`, query: place === here.value ? route.query : {} })
}
function step(by: number): void {
  const all = data.value?.study.variants ?? []
  const target = all[(all.findIndex((entry) => entry.id === variant.value) + by + all.length) % all.length]
  if (target) go(here.value, target.id)
}
const zones = computed(() => data.value?.fit?.zones ?? [])
/** Lose the zone that is meant by its number, or by its first letters once they mean one alone. */
function lose(key: string): void {
  if (key.length !== 1) {
    typedZone.value = null
    return
  }
  const typed = (typedZone.value ?? '') + key.toLowerCase()
  const found = zones.value.filter((name, place) => name.toLowerCase().startsWith(typed) || typed === String(place + 1))
  typedZone.value = found.length > 1 ? typed : null
  if (found.length === 1) lost.value = lost.value === found[0] ? null : (found[0] ?? null)
  else if (!found.length)
    message.warning(zones.value.length ? `No zone of this fit begins with “${typed}”.` : 'There is no fit yet, so no zone to lose.')
}

useKeys((event) => {
  const key = keyOf(event)
  if (typedZone.value !== null && !['Shift', 'Alt'].includes(key)) {
    lose(key)
    return true
  }
  if (event.ctrlKey && key.toLowerCase() === 'z') {
    if (mayEdit.value) walk(event.shiftKey)
    return true
  }
  if (event.ctrlKey) return false
  const place = places.value.find((entry) => entry.key === key)
  if (place) go(place.name)
  else if (key === 'f' && mayEdit.value) actions.fit.mutate()
  else if (key === '[') step(-1)
  else if (key === ']') step(1)
  else if (key === 'z') typedZone.value = ''
  else if (key === '?') showKeys.value = true
  else if (key === 'Escape' && (lost.value !== null || showKeys.value)) {
    lost.value = null
    showKeys.value = false
  } else return false
  return true
})
</script>

<template>
  <div v-if="data" class="bench">
    <VerdictBand
      :bench="data"
      :hardest="hardest"
      :marks="marks"
      :may-edit="mayEdit"
      :busy="Boolean(running)"
      @variant="go(here, $event)"
      @fit="actions.fit.mutate()"
      @home="router.push('/')"
      @place="router.push(`/bench/${variant}/${$event}`)"
    >
      <span class="ways"
        ><PersonMenu /><button type="button" class="plain-button quiet keys" title="keys" aria-label="keys" @click="showKeys = true">
          ?
        </button></span
      >
    </VerdictBand>
    <Thread :places="places" :here="here" @go="go($event)" />
    <SigningLine :study="data.study.id" />
    <StarterLine :study="data.study.id" />
    <RunStrip
      v-if="running && data.run"
      :run="data.run"
      :currency="data.region?.currency ?? ''"
      :may-edit="mayEdit"
      @stop="actions.stop.mutate(data.run.id)"
    />
    <p v-else-if="data.run?.status === 'failed'" class="madder failed" role="alert">
      {{ data.run.message }} The last fit is kept; press f to try again.
    </p>
    <NextStep :bench="data" :here="here" :may-edit="mayEdit" :busy="Boolean(running)" @go="go($event)" @fit="actions.fit.mutate()" />
    <main class="place">
      <Supply v-if="here === 'supply'" :bench="data" :actions="actions" :may-edit="mayEdit" />
      <Targets v-else-if="here === 'targets'" :bench="data" :actions="actions" :may-edit="mayEdit" />
      <Demand v-else-if="here === 'demand'" :bench="data" :actions="actions" :may-edit="mayEdit" />
      <FitPlace v-else-if="here === 'fit'" v-model:lost="lost" :bench="data" :actions="actions" :may-edit="mayEdit" />
      <Addresses v-else-if="here === 'addresses'" :bench="data" :actions="actions" :may-edit="mayEdit" />
      <Preflight v-else-if="here === 'preflight'" :bench="data" :actions="actions" :may-edit="mayEdit" />
      <Drills
        v-else-if="here === 'drills'"
        :bench="data"
        :inquiry="drills.now.value"
        :may-edit="mayEdit"
        @ask="drills.ask.mutate()"
        @stop="drills.stop.mutate($event)"
      />
      <Rehearsal
        v-else-if="here === 'rehearsal'"
        :bench="data"
        :inquiry="rehearsal.now.value"
        :may-edit="mayEdit"
        @ask="rehearsal.ask.mutate()"
        @stop="rehearsal.stop.mutate($event)"
      />
      <Ledger v-else-if="here === 'ledger'" :bench="data" :actions="actions" :may-edit="mayEdit" />
      <Handover v-else :bench="data" :may-edit="mayEdit" />
    </main>
    <WhyDialog :problem="asksWhy" :busy="actions.change.isPending.value" @say="sayWhy" @close="actions.change.reset()" />
    <p v-if="typedZone !== null" class="hint" role="status">
      lose a zone: {{ zones.map((name, place) => `${place + 1} ${name}`).join(' · ') || 'there is no fit yet'
      }}<template v-if="typedZone"> · typed “{{ typedZone }}”</template>
    </p>
    <OpenSheet v-model:show="showKeys" title="Keys">
      <table>
        <tbody>
          <tr v-for="[key, what] in KEYS" :key="key">
            <td class="mono">{{ key }}</td>
            <td>{{ what }}</td>
          </tr>
        </tbody>
      </table>
      <NCheckbox v-model:checked="singleKeys">Single keys work without Alt</NCheckbox>
    </OpenSheet>
  </div>
  <p v-else-if="bench.error.value" class="failed madder" role="alert">
    {{ bench.error.value.message }} <RouterLink to="/">All studies</RouterLink>
  </p>
</template>

<style scoped>
.bench {
  height: 100vh;
  display: flex;
  flex-direction: column;
  min-width: 1000px;
}
.place {
  flex: 1;
  min-height: 0;
  overflow: hidden;
}
.failed {
  padding: 8px 14px;
}
.ways {
  display: flex;
  gap: 6px;
  justify-content: center;
}
.keys {
  font-size: 12px;
  min-width: 20px;
}
.hint {
  position: fixed;
  bottom: 12px;
  left: 50%;
  transform: translateX(-50%);
  background: var(--ink);
  color: var(--paper);
  padding: 6px 14px;
}
</style>
