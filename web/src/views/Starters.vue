<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Problem } from '../api/client'
import { useStarter, useStarterActions, useStarters } from '../api/starters'
import { useSignedIn } from '../composables/useSignedIn'
import { day, plural } from '../domain/format'
import DraftField from '../ui/DraftField.vue'
import FaultList from '../ui/FaultList.vue'
import PageHead from '../ui/PageHead.vue'
import FillStarter from './starters/FillStarter.vue'
import StarterBlanks from './starters/StarterBlanks.vue'

/** Starters of the house: one is filled in with its cost beside it; leads say what it asks for. The address carries which one, and what is done. */
const route = useRoute()
const router = useRouter()
const person = useSignedIn()
const list = useStarters()
const rows = computed(() => list.data.value?.starters ?? [])
const chosen = computed(() => Number(route.query.of) || rows.value[0]?.id || null)
const starter = useStarter(chosen)
const found = computed(() => (starter.data.value?.id === chosen.value ? starter.data.value : null) ?? null)
const isLead = computed(() => person.data.value?.role === 'lead')
const mayUse = computed(() => ['planner', 'lead'].includes(person.data.value?.role ?? ''))
const editing = computed(() => isLead.value && route.query.blanks === 'yes')
const actions = useStarterActions()
const error = computed(() => (actions.arrange.error.value ?? starter.error.value ?? list.error.value) as Problem | null)

function show(of: number | null, blanks = false): void {
  void router.replace({ query: { of: String(of ?? ''), ...(blanks ? { blanks: 'yes' } : {}) } })
}
</script>

<template>
  <main class="page">
    <PageHead title="Starters" words="shapes of studies with a few blanks" />
    <div class="columns">
      <aside tabindex="0" aria-label="starters">
        <p v-if="list.data.value && !rows.length" class="quiet">
          There is no starter yet. A lead saves a study as one on its page of variants.
        </p>
        <article v-for="row in rows" :key="row.id" :class="{ chosen: row.id === chosen }">
          <button type="button" class="plain-button name" :aria-current="row.id === chosen" @click="show(row.id)">{{ row.name }}</button>
          <span class="quiet"
            >version {{ row.version }}, {{ plural(row.workloads, 'workload') }}{{ row.put_away ? ', put away' : '' }}</span
          >
          <p v-if="row.note">{{ row.note }}</p>
        </article>
      </aside>
      <section v-if="found" class="middle" tabindex="0" :aria-label="found.name">
        <FaultList v-if="error" :faults="error.faults" :title="error.message" />
        <div class="head">
          <h2>{{ found.name }}</h2>
          <template v-if="isLead">
            <NButton size="tiny" @click="show(found.id, !editing)">{{ editing ? 'Fill it in' : 'What it asks for' }}</NButton>
            <NButton size="tiny" @click="actions.arrange.mutate({ id: found.id, put_away: !found.put_away })">{{
              found.put_away ? 'Offer it again' : 'Put it away'
            }}</NButton>
          </template>
        </div>
        <template v-if="editing">
          <DraftField
            wide
            title="name"
            :value="found.name"
            may-edit
            @keep="(name, kept) => actions.arrange.mutate({ id: found?.id ?? 0, name }, { onSuccess: kept })"
          />
          <DraftField
            wide
            title="note"
            :value="found.note"
            may-edit
            @keep="(note, kept) => actions.arrange.mutate({ id: found?.id ?? 0, note }, { onSuccess: kept })"
          />
          <StarterBlanks :key="`${found.id} ${found.version}`" :starter="found" />
        </template>
        <FillStarter v-else :key="found.id" :starter="found" :may-use="mayUse" />
        <div class="known">
          <div>
            <h3>Versions</h3>
            <ol reversed>
              <li v-for="each in [...found.versions].reverse()" :key="each.number" :value="each.number">
                {{ each.why }} <span class="quiet">{{ each.by }}, {{ day(each.at) }}</span>
              </li>
            </ol>
          </div>
          <div>
            <h3>Studies made from it</h3>
            <ul v-if="found.uses.length">
              <li v-for="use in found.uses" :key="use.study_id">
                <RouterLink :to="`/studies/${use.study_id}/variants`">{{ use.study_name }}</RouterLink>
                <span class="quiet"> version {{ use.version }}, {{ use.by }}, {{ day(use.at) }}</span>
              </li>
            </ul>
            <p v-else class="quiet">None that you see.</p>
          </div>
        </div>
      </section>
      <FaultList v-else-if="error" :faults="error.faults" :title="error.message" />
    </div>
  </main>
</template>

<style scoped>
.page {
  height: 100vh;
  display: flex;
  flex-direction: column;
}
.columns {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 250px 1fr;
}
aside {
  overflow: auto;
  padding: 12px;
  border-right: 1px solid var(--line);
}
article {
  padding: 8px 10px;
  border-left: 3px solid transparent;
}
article.chosen {
  border-left-color: var(--ink);
}
article p {
  margin: 4px 0 0;
}
.name {
  display: block;
  font-weight: 600;
  min-height: 24px;
}
.middle {
  overflow: auto;
  padding: 14px 18px;
  display: grid;
  gap: 14px;
  align-content: start;
}
.head {
  display: flex;
  gap: 12px;
  align-items: center;
}
h2 {
  margin: 0;
}
.known {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 24px;
  border-top: 1px solid var(--line);
}
</style>
