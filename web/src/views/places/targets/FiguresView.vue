<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref, toRef, watch } from 'vue'
import { useAvailability, useStatePromises, type Dependency, type Figure } from '../../../api/availability'
import type { Bench, Problem } from '../../../api/client'
import { allowedMinutes, felt, often } from '../../../domain/minutes'
import { wholeNumber } from '../../../domain/typed'
import FaultList from '../../../ui/FaultList.vue'
import HeldInput from '../../../ui/HeldInput.vue'
import FigureTable from '../../../ui/FigureTable.vue'

/** What fails, how often and for how long, with the origin of every figure; and what stands outside. */
const props = defineProps<{ bench: Bench; mayEdit: boolean }>()
const answer = useAvailability(
  toRef(() => props.bench.variant.id),
  toRef(() => props.bench.fit?.id ?? 0),
)
const state = useStatePromises(toRef(() => props.bench.study.id))
const error = computed(() => state.error.value as Problem | null)
const figures = computed<Figure[]>(() => answer.data.value?.figures ?? [])
const rows = ref<Dependency[]>([])
// What was typed stands until it is kept: an answer that was asked before knows nothing of it, and a refused one is not lost.
watch(
  [() => answer.data.value?.dependencies, state.isPending],
  ([now, sending]) => {
    if (!sending && !state.isError.value) rows.value = (now ?? []).map((entry) => ({ ...entry }))
  },
  { immediate: true },
)
const stated = computed(() =>
  Object.fromEntries(
    figures.value
      .filter((entry) => entry.stated)
      .map((entry) => [entry.name, entry.value ?? { per_year: entry.per_year, repair_s: entry.repair_s }]),
  ),
)
const reaches = [
  ['zonal', 'in one zone, goes with it'],
  ['spread', 'in every zone, any will do'],
  ['regional', 'goes with the region'],
  ['outside', 'whatever happens here'],
] as const

function set(change: Record<string, unknown>, kept: () => void): void {
  state.mutate(
    () => {
      const left = Object.entries({ ...stated.value, ...change }).filter(([, value]) => value !== null)
      return { failures: Object.fromEntries(left) as never }
    },
    { onSuccess: kept },
  )
}
function keep(): void {
  const stated = rows.value
  state.mutate(() => ({ dependencies: stated }))
}
function edit(place: number, field: keyof Dependency, text: string): void {
  const row = rows.value[place]
  if (!row || String(row[field]) === text) return
  rows.value[place] = {
    ...row,
    [field]: field === 'repair_s' ? Number(text) : text,
    ...(field === 'availability' || field === 'repair_s' ? { origin: 'stated here', why: '' } : {}),
  }
  keep()
}
const reason = ref('')
function add(): void {
  let number = 1
  while (rows.value.some((row) => row.name === `dependency ${number}`)) number += 1
  rows.value = [
    ...rows.value,
    { name: `dependency ${number}`, reach: 'outside', zone: '', availability: '99.9', repair_s: 1800, origin: 'stated here', why: '' },
  ]
  keep()
}
function drop(place: number): void {
  rows.value = rows.value.filter((_, at) => at !== place)
  keep()
}
</script>

<template>
  <div class="figures">
    <section>
      <h2>Failure rates</h2>
      <FigureTable :figures="figures" :may-edit="mayEdit" @set="set" />
      <p class="quiet">
        A zone’s failures come on top of its region’s, a node’s on top of its zone’s. A replica lost with its node or zone is down for the
        shorter of the repair and its relocation: detection, eviction, placement and start-up, with a new node’s start where it grows.
        Figures changed here hold for this study; the house’s stand under House rules.
      </p>
    </section>
    <section>
      <h2>Needed from outside</h2>
      <table>
        <thead>
          <tr>
            <th>name</th>
            <th>reach</th>
            <th>zone</th>
            <th class="number">available, %</th>
            <th class="number">repair, s</th>
            <th class="number">downtime a month</th>
            <th>from</th>
            <th class="holds"><span class="unseen">remove</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(row, place) in rows" :key="place">
            <td>
              <input
                :value="row.name"
                :readonly="!mayEdit"
                :aria-label="`name of dependency ${place + 1}`"
                @change="edit(place, 'name', ($event.target as HTMLInputElement).value)"
              />
            </td>
            <td>
              <select
                :value="row.reach"
                :disabled="!mayEdit"
                :aria-label="`reach of ${row.name}`"
                :title="reaches.find(([name]) => name === row.reach)?.[1]"
                @change="edit(place, 'reach', ($event.target as HTMLInputElement).value)"
              >
                <option v-for="[name, words] in reaches" :key="name" :value="name" :title="words">{{ name }}</option>
              </select>
            </td>
            <td>
              <select
                v-if="row.reach === 'zonal'"
                :value="row.zone || bench.variant.zones[0]"
                :disabled="!mayEdit"
                :aria-label="`zone of ${row.name}`"
                @change="edit(place, 'zone', ($event.target as HTMLInputElement).value)"
              >
                <option v-for="zone in bench.variant.zones" :key="zone">{{ zone }}</option>
              </select>
            </td>
            <td class="number">
              <input
                class="count"
                :value="row.availability"
                :readonly="!mayEdit"
                :aria-label="`availability of ${row.name} in percent`"
                @change="edit(place, 'availability', ($event.target as HTMLInputElement).value)"
              />
            </td>
            <td class="number">
              <HeldInput
                class="count"
                inputmode="numeric"
                :value="row.repair_s"
                :may-edit="mayEdit"
                :check="(text) => wholeNumber(text, `the repair of ${row.name}`)"
                :aria-label="`repair of ${row.name} in seconds`"
                @reason="reason = $event"
                @keep="(text, kept) => (edit(place, 'repair_s', text), kept())"
              />
            </td>
            <td class="number quiet away" :title="often((((100 - Number(row.availability)) / 100) * 31_536_000) / row.repair_s)">
              {{ felt(allowedMinutes(row.availability)) }}
            </td>
            <td class="quiet from" :title="row.why">{{ row.origin || 'stated here' }}</td>
            <td>
              <button v-if="mayEdit" type="button" class="plain-button madder" :aria-label="`remove ${row.name}`" @click="drop(place)">
                ×
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <FaultList v-if="error" :faults="error.faults" :title="error.message" />
      <p v-if="reason" class="madder" role="alert">{{ reason }}</p>
      <NButton v-if="mayEdit" size="small" @click="add">Add a dependency</NButton>
      <p class="quiet">
        <span v-for="[name, words] in reaches" :key="name"
          ><strong>{{ name }}</strong
          >: {{ words }}.
        </span>
      </p>
    </section>
  </div>
</template>

<style scoped>
.figures {
  display: grid;
  grid-template-columns: minmax(540px, 1.08fr) minmax(500px, 1fr);
  gap: 28px;
  padding: 14px 20px;
  overflow: auto;
  height: 100%;
  align-content: start;
}
section {
  display: grid;
  gap: 9px;
  align-content: start;
  justify-items: start;
}
section > table {
  width: 100%;
}
input,
select {
  font: inherit;
  color: inherit;
  background: transparent;
  border: 0;
  border-bottom: 1px solid var(--line);
  width: 100%;
  padding: 2px 0;
}
select option {
  background: var(--panel);
}
input.count {
  width: 52px;
  text-align: right;
}
td,
th {
  padding: 3px 8px 3px 0;
  font-size: 12px;
}
.away {
  white-space: nowrap;
}
.from {
  font-size: 11px;
}
td:first-child {
  min-width: 112px;
}
select {
  min-width: 66px;
}
p {
  font-size: 12px;
}
</style>
