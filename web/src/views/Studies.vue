<script setup lang="ts">
import { NButton, NCheckbox, NInput } from 'naive-ui'
import { computed, ref, toRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { Problem, type Schemas } from '../api/client'
import { useArrangeStudy, useCreateStudy, useDeleteStudy, useStudies, type StudyLine } from '../api/studies'
import { mayEditAs } from '../composables/useMayEdit'
import { useSignedIn } from '../composables/useSignedIn'
import DeleteDialog from '../ui/DeleteDialog.vue'
import FaultList from '../ui/FaultList.vue'
import OneOf from '../ui/OneOf.vue'
import PersonMenu from '../ui/PersonMenu.vue'
import RombMark from '../ui/RombMark.vue'
import BringStudy from './studies/BringStudy.vue'
import StudyRow from './studies/StudyRow.vue'

/** Every study with what one decides by; the address carries what is looked for, so that a link shows the same. */
const route = useRoute()
const router = useRouter()
const person = useSignedIn()
const PAGE = 50
const ORDERS = [
  { value: 'touched', label: 'touched last' },
  { value: 'name', label: 'by name' },
  { value: 'cost', label: 'what costs most' },
  { value: 'gap', label: 'what is proved worst' },
  { value: 'downtime', label: 'what falls shortest' },
  { value: 'findings', label: 'what has most findings' },
]
const text = (name: string) => (typeof route.query[name] === 'string' ? route.query[name] : '')
const asked = computed(() => ({
  find: text('find'),
  tag: text('tag'),
  archived: text('archived') === 'yes',
  order: (ORDERS.find((entry) => entry.value === text('order'))?.value ?? 'touched') as Schemas['StudiesQuery']['order'],
  first: Math.max(0, Number(text('first')) || 0),
  count: PAGE,
}))
const studies = useStudies(asked)
const found = computed(() => studies.data.value ?? null)
const typed = ref(text('find'))
const create = useCreateStudy()
const title = ref('')
const remove = useDeleteStudy()
const arrange = useArrangeStudy()
const doomed = ref<StudyLine | null>(null)
const mayEdit = computed(() => ['planner', 'lead'].includes(person.data.value?.role ?? ''))
const error = computed(() => (create.error.value ?? remove.error.value ?? arrange.error.value ?? studies.error.value) as Problem | null)
watch(person.data, (who) => who?.role === 'owner' && router.replace('/intake'), { immediate: true })
watch(toRef(asked), (now) => (typed.value = now.find))

function show(change: Record<string, string | undefined>): void {
  void router.replace({ query: { ...route.query, first: undefined, ...change } })
}
function destroy(name: string): void {
  if (doomed.value) remove.mutate({ id: doomed.value.id, typed: name }, { onSuccess: () => (doomed.value = null) })
}
function add(): void {
  create.mutate(
    { name: title.value, organisation: '' },
    {
      onSuccess: (study) => router.push(`/bench/${study.variants[0]?.id}/supply`),
    },
  )
}
</script>

<template>
  <main class="studies">
    <header>
      <RombMark />
      <h1>Studies</h1>
      <RouterLink to="/house">House rules</RouterLink>
      <RouterLink to="/starters">Starters</RouterLink>
      <RouterLink to="/intake">Intake</RouterLink>
      <RouterLink v-if="person.data.value?.role === 'lead'" to="/operations">Operations</RouterLink>
      <span class="grow" />
      <PersonMenu />
    </header>
    <form class="look" @submit.prevent="show({ find: typed || undefined })">
      <NInput
        v-model:value="typed"
        size="small"
        clearable
        placeholder="name, organisation or tag"
        :input-props="{ 'aria-label': 'find a study' }"
        @clear="show({ find: undefined })"
        @blur="typed !== asked.find && show({ find: typed || undefined })"
      />
      <OneOf
        size="small"
        name="which tag"
        clearable
        placeholder="any tag"
        :value="asked.tag || null"
        :options="(found?.tags ?? []).map((tag) => ({ value: tag, label: tag }))"
        @update:value="show({ tag: $event ?? undefined })"
      />
      <OneOf
        size="small"
        name="what comes first"
        :value="asked.order"
        :options="ORDERS"
        @update:value="show({ order: $event === 'touched' ? undefined : $event })"
      />
      <NCheckbox :checked="asked.archived" @update:checked="show({ archived: $event ? 'yes' : undefined })">those put away</NCheckbox>
    </form>
    <table v-if="found?.studies.length">
      <thead>
        <tr>
          <th>study</th>
          <th class="number" title="of the reference’s newest plan, with the study’s fees">bill a month</th>
          <th class="number">above the floor</th>
          <th title="the journey with the least downtime left, and what the reference promises">falls shortest</th>
          <th title="of pre-flight, as when somebody last looked at the newest plan">findings</th>
          <th>sign-off</th>
          <th>variants</th>
          <th class="number">replicas</th>
          <th>touched</th>
          <th><span class="unseen">what to do</span></th>
        </tr>
      </thead>
      <tbody>
        <StudyRow
          v-for="study in found.studies"
          :key="study.id"
          :study="study"
          :may-edit="mayEditAs(person.data.value?.role, study.yours)"
          @tag="show({ tag: $event })"
          @arrange="(change, kept) => arrange.mutate({ id: study.id, ...change }, { onSuccess: kept })"
          @remove="doomed = study"
        />
      </tbody>
    </table>
    <p v-else-if="found && (asked.find || asked.tag || asked.archived)" class="quiet">There is no such study.</p>
    <p v-else-if="found" class="quiet">There is no study yet. Name one below; supply, targets and demand come next.</p>
    <p v-if="found && found.total > PAGE" class="pages">
      <NButton size="tiny" :disabled="!asked.first" @click="show({ first: String(Math.max(0, asked.first - PAGE)) })">Before</NButton>
      {{ asked.first + 1 }} to {{ Math.min(asked.first + PAGE, found.total) }} of {{ found.total }}
      <NButton size="tiny" :disabled="asked.first + PAGE >= found.total" @click="show({ first: String(asked.first + PAGE) })"
        >After</NButton
      >
    </p>
    <form v-if="mayEdit" class="make" @submit.prevent="add">
      <NInput v-model:value="title" placeholder="name of a new study" :input-props="{ 'aria-label': 'Name of a new study' }" />
      <NButton type="primary" attr-type="submit" :disabled="!title.trim()" :loading="create.isPending.value">Create a study</NButton>
      <span class="quiet">empty, or <RouterLink to="/starters">from a starter</RouterLink></span>
    </form>
    <BringStudy v-if="mayEdit" />
    <FaultList v-if="error" :faults="error.faults ?? []" :title="error.message" />
    <DeleteDialog
      :name="doomed?.name ?? null"
      what="Its demand, variants and fits go with it."
      :busy="remove.isPending.value"
      @remove="destroy"
      @close="doomed = null"
    />
  </main>
</template>

<style scoped>
.studies {
  max-width: 1260px;
  margin: 0 auto;
  padding: 26px 12px;
  display: grid;
  gap: 20px;
}
header {
  display: flex;
  align-items: center;
  gap: 14px;
}
.grow {
  flex: 1;
}
th {
  padding: 9px 8px;
  white-space: nowrap;
}
.look {
  display: grid;
  grid-template-columns: 300px 180px 190px auto;
  gap: 12px;
  align-items: center;
  justify-content: start;
}
.make {
  display: grid;
  grid-template-columns: 320px auto auto;
  gap: 10px;
  align-items: center;
  justify-content: start;
}
.pages {
  display: flex;
  gap: 10px;
  align-items: center;
}
</style>
