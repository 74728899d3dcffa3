<script setup lang="ts">
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Problem } from '../api/client'
import { useDraft, useSignOff, useSignOffs } from '../api/signing'
import { useMayEdit } from '../composables/useMayEdit'
import { useSignedIn } from '../composables/useSignedIn'
import { day } from '../domain/format'
import { first, STATES } from '../domain/signing'
import FaultList from '../ui/FaultList.vue'
import StudyPage from '../ui/StudyPage.vue'
import HandIn from './sign-off/HandIn.vue'
import SayOn from './sign-off/SayOn.vue'
import SeenPlan from './sign-off/SeenPlan.vue'

/** Plans of a study that were handed in: one at the figures that were seen, to be signed or returned; or one to be handed in. */
const route = useRoute()
const router = useRouter()
useSignedIn()
const study = computed(() => Number(route.params.study))
const mayEdit = useMayEdit(study)
const asked = (name: string) => (typeof route.query[name] === 'string' ? Number(route.query[name]) || 0 : 0)
const list = useSignOffs(study)
const rows = computed(() => list.data.value?.sign_offs ?? [])
const variant = computed(() => asked('ask'))
const shown = computed(() => (variant.value ? 0 : asked('of') || (first(rows.value)?.id ?? 0)))
const one = useSignOff(shown)
const row = computed(() => one.data.value ?? null)
const draft = useDraft(variant)
const variants = computed(() => list.data.value?.variants ?? [])
const error = computed(() => (list.error.value ?? one.error.value ?? draft.error.value) as Problem | null)
</script>

<template>
  <StudyPage :study="study" here="sign-off" :title="list.data.value?.study_name ?? 'Sign-off'" words="plans handed in and signed">
    <div class="columns">
      <nav aria-label="plans of this study">
        <h3>Handed in</h3>
        <p v-if="!rows.length" class="quiet">Nothing was handed in yet.</p>
        <RouterLink
          v-for="entry in rows"
          :key="entry.id"
          :to="{ query: { of: entry.id } }"
          class="entry"
          :class="{ now: entry.id === shown }"
          :aria-current="entry.id === shown"
        >
          <span aria-hidden="true">{{ STATES[entry.state].mark }}</span>
          <span
            ><strong>{{ entry.variant_name }}</strong> {{ STATES[entry.state].words }}
            <span class="quiet">{{ entry.asked_by }}, {{ day(entry.asked_at) }}</span></span
          >
        </RouterLink>
        <template v-if="mayEdit && variants.length">
          <h3>Hand in the plan of</h3>
          <RouterLink
            v-for="entry in variants"
            :key="entry.id"
            :to="{ query: { ask: entry.id } }"
            class="entry"
            :class="{ now: entry.id === variant }"
          >
            <span aria-hidden="true">+</span>{{ entry.name }}
          </RouterLink>
        </template>
      </nav>
      <section v-if="row && shown" class="whole">
        <div class="plan">
          <h2>
            The plan of {{ row.variant_name }} {{ STATES[row.state].words
            }}<template v-if="row.closed_at && row.state !== 'waiting'"> on {{ day(row.closed_at) }}</template>
          </h2>
          <p>
            <span class="quiet">{{ row.asked_by }} asks, {{ day(row.asked_at) }}:</span> “{{ row.words }}”
          </p>
          <SeenPlan :seen="row.seen" :name="row.variant_name" />
        </div>
        <SayOn :key="row.id" :row="row" />
      </section>
      <section v-else-if="variant && draft.data.value" class="whole">
        <div class="plan">
          <h2>What a lead would see of {{ draft.data.value.variant_name }}</h2>
          <SeenPlan :seen="draft.data.value.seen" :name="draft.data.value.variant_name" />
        </div>
        <HandIn :key="variant" :draft="draft.data.value" :may-edit="mayEdit" @handed="router.push({ query: { of: String($event) } })" />
      </section>
      <FaultList v-else-if="error" class="whole" :faults="error.faults" :title="error.message" />
      <p v-else-if="list.data.value && !rows.length" class="quiet nothing">
        A lead signs a plan at the figures that were seen. Hand one in: they are frozen, and what differs since is told.
      </p>
    </div>
  </StudyPage>
</template>

<style scoped>
.columns {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 240px minmax(0, 1fr);
}
nav {
  overflow: auto;
  padding: 12px 14px;
  border-right: 1px solid var(--line);
  display: grid;
  gap: 4px;
  align-content: start;
  font-size: 12.5px;
}
nav h3 {
  margin-top: 6px;
}
.entry {
  display: grid;
  grid-template-columns: 16px 1fr;
  gap: 4px;
  padding: 4px 6px;
  color: var(--ink);
  text-decoration: none;
}
.entry .quiet {
  display: block;
}
.entry:hover {
  background: var(--wash);
}
.entry.now {
  box-shadow: inset 3px 0 0 var(--madder);
}
.whole {
  overflow: auto;
  padding: 14px 20px 24px;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 300px;
  gap: 24px;
  align-content: start;
  font-size: 12.5px;
}
.plan {
  display: grid;
  gap: 10px;
  align-content: start;
}
.nothing {
  padding: 14px 20px;
  max-width: 460px;
}
</style>
