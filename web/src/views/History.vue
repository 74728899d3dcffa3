<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Problem } from '../api/client'
import { useDifferences, useNoteRevision, useRevisions } from '../api/history'
import { useMayEdit } from '../composables/useMayEdit'
import { useSignedIn } from '../composables/useSignedIn'
import { day, plural } from '../domain/format'
import DraftField from '../ui/DraftField.vue'
import FaultList from '../ui/FaultList.vue'
import StudyPage from '../ui/StudyPage.vue'
import RestoreForm from './history/RestoreForm.vue'

/** A study through time: its edits, what differs between any two, and any of them brought back; the address carries which two. */
const route = useRoute()
const router = useRouter()
useSignedIn()
const study = computed(() => Number(route.params.study))
const mayEdit = useMayEdit(study)
const query = useRevisions(study)
const head = computed(() => query.data.value?.pages[0] ?? null)
const rows = computed(() => query.data.value?.pages.flatMap((page) => page.revisions) ?? [])
const standing = computed(() => rows.value.filter((row) => !row.undone))
const asked = (name: string) => (typeof route.query[name] === 'string' && route.query[name] !== '' ? Number(route.query[name]) : null)
/** Where nothing is chosen: what the last edit changed. */
const last = computed(() => asked('to') ?? standing.value[0]?.id ?? null)
const first = computed(() => asked('from') ?? (standing.value.length ? (standing.value[1]?.id ?? 0) : null))
const between = useDifferences(study, first, last)
const found = computed(() => between.data.value ?? [])
const note = useNoteRevision(study)
const error = computed(() => (query.error.value ?? between.error.value ?? note.error.value) as Problem | null)

function choose(change: { from?: number; to?: number }): void {
  void router.replace({ query: { from: String(change.from ?? first.value ?? 0), to: String(change.to ?? last.value ?? 0) } })
}
function name(number: number | null): string {
  if (number === 0) return 'the study as it began'
  const row = rows.value.find((entry) => entry.id === number)
  return row ? `“${row.summary}” of ${day(row.at)}` : `revision ${number}`
}
function time(text: string): string {
  return new Date(text).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
}
</script>

<template>
  <StudyPage
    :study="study"
    here="history"
    :title="head?.study_name ?? 'History'"
    :words="head ? `${plural(head.total, 'revision')}, since ${day(head.began_at)}` : ''"
  >
    <template #ways>
      <a :href="`/api/studies/${study}/trail.csv`" download>Trail as CSV</a>
    </template>
    <div class="columns">
      <section class="list" tabindex="0" aria-label="revisions">
        <table>
          <thead>
            <tr>
              <th>from</th>
              <th>to</th>
              <th>when</th>
              <th>who</th>
              <th>what, and why</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in rows" :key="row.id" :class="{ undone: row.undone }">
              <td>
                <input
                  v-if="!row.undone"
                  type="radio"
                  name="from"
                  :checked="row.id === first"
                  :aria-label="`from ${name(row.id)}`"
                  @change="choose({ from: row.id })"
                />
              </td>
              <td>
                <input
                  v-if="!row.undone"
                  type="radio"
                  name="to"
                  :checked="row.id === last"
                  :aria-label="`to ${name(row.id)}`"
                  @change="choose({ to: row.id })"
                />
              </td>
              <td class="when">
                {{ day(row.at) }} <span class="quiet">{{ time(row.at) }}</span>
              </td>
              <td>{{ row.actor }}</td>
              <td>
                {{ row.summary }}<span v-if="row.undone" class="quiet">, undone</span>
                <DraftField
                  v-if="row.id === last && mayEdit"
                  class="reason"
                  title="why"
                  :name="`why ${row.summary}`"
                  :value="row.why"
                  may-edit
                  @keep="(why, kept) => note.mutate({ revision: row.id, why }, { onSuccess: kept })"
                />
                <span v-else-if="row.why" class="quiet why">{{ row.why }}</span>
              </td>
            </tr>
            <tr v-if="head && !query.hasNextPage.value">
              <td>
                <input
                  type="radio"
                  name="from"
                  :checked="first === 0"
                  aria-label="from the study as it began"
                  @change="choose({ from: 0 })"
                />
              </td>
              <td>
                <input type="radio" name="to" :checked="last === 0" aria-label="to the study as it began" @change="choose({ to: 0 })" />
              </td>
              <td class="when">
                {{ day(head.began_at) }} <span class="quiet">{{ time(head.began_at) }}</span>
              </td>
              <td>{{ head.began_by }}</td>
              <td>the study as it began</td>
            </tr>
          </tbody>
        </table>
        <NButton v-if="query.hasNextPage.value" size="small" :loading="query.isFetchingNextPage.value" @click="query.fetchNextPage()"
          >Earlier ones</NButton
        >
      </section>
      <section class="between" tabindex="0" aria-label="what differs">
        <FaultList v-if="error" :faults="error.faults" :title="error.message" />
        <template v-if="first !== null && last !== null && between.data.value">
          <h2>From {{ name(first) }} to {{ name(last) }}</h2>
          <table v-if="found.length" aria-label="differences">
            <thead>
              <tr>
                <th>of</th>
                <th>what</th>
                <th>before</th>
                <th>after</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="(each, place) in found" :key="place">
                <td>{{ each.of }}</td>
                <td>{{ each.what }}</td>
                <td class="value">{{ each.before }}</td>
                <td class="value">{{ each.after }}</td>
              </tr>
            </tbody>
          </table>
          <p v-else class="quiet">Nothing differs between the two.</p>
          <RestoreForm v-if="mayEdit && head" :study="study" :revision="last" :words="name(last)" :variants="head.variants" />
        </template>
        <p v-else-if="head && !rows.length" class="quiet">Nothing was edited yet.</p>
      </section>
    </div>
  </StudyPage>
</template>

<style scoped>
.columns {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  font-size: 12.5px;
}
.list,
.between {
  overflow: auto;
  padding: 12px 16px 24px;
  display: grid;
  gap: 12px;
  align-content: start;
}
.list {
  border-right: 1px solid var(--line);
}
td {
  vertical-align: top;
}
input[type='radio'] {
  accent-color: var(--petrol);
  width: 18px;
  height: 18px;
}
.when {
  white-space: nowrap;
}
.undone {
  opacity: 0.75;
  text-decoration: line-through;
}
.why {
  display: block;
}
.reason {
  flex-wrap: nowrap;
  border: 0;
}
.reason :deep(input) {
  flex: 1;
  min-width: 0;
  text-align: left;
}
.value {
  overflow-wrap: anywhere;
}
</style>
