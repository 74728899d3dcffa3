<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { Problem } from '../api/client'
import { useSignOut } from '../api/session'
import { useCreateStudy, useDeleteStudy, useStudies } from '../api/studies'
import { useSignedIn } from '../composables/useSignedIn'
import DeleteDialog from '../ui/DeleteDialog.vue'
import FaultList from '../ui/FaultList.vue'
import RombMark from '../ui/RombMark.vue'
import BringStudy from './studies/BringStudy.vue'

const router = useRouter()
const person = useSignedIn()
const studies = useStudies()
const create = useCreateStudy()
const signOut = useSignOut()
const title = ref('')
const remove = useDeleteStudy()
const doomed = ref<{ id: number; name: string } | null>(null)
const mayEdit = computed(() => ['planner', 'lead'].includes(person.data.value?.role ?? ''))
watch(person.data, (who) => who?.role === 'owner' && router.replace('/intake'), { immediate: true })

function destroy(typed: string): void {
  if (doomed.value) remove.mutate({ id: doomed.value.id, typed }, { onSuccess: () => (doomed.value = null) })
}

function add(): void {
  create.mutate(
    { name: title.value, organisation: '' },
    {
      onSuccess: (study) => router.push(`/bench/${study.variants[0]?.id}/supply`),
    },
  )
}
function reference(study: { variants: { id: number; is_reference: boolean }[] }): number | undefined {
  return (study.variants.find((entry) => entry.is_reference) ?? study.variants[0])?.id
}
</script>

<template>
  <main class="studies">
    <header>
      <RombMark />
      <h1>Studies</h1>
      <RouterLink to="/house">House rules</RouterLink>
      <RouterLink to="/intake">Intake</RouterLink>
      <span class="grow" />
      <span v-if="person.data.value" class="quiet">{{ person.data.value.full_name }}, {{ person.data.value.role }}</span>
      <NButton size="small" @click="signOut.mutate(undefined, { onSuccess: () => router.push('/sign-in') })">Sign out</NButton>
    </header>
    <table v-if="studies.data.value?.length">
      <thead>
        <tr>
          <th>study</th>
          <th>organisation</th>
          <th class="number">workloads</th>
          <th class="number">replicas</th>
          <th>variants</th>
          <th>made</th>
          <th><span class="unseen">variants beside each other</span></th>
          <th><span class="unseen">as a file</span></th>
          <th v-if="mayEdit"><span class="unseen">delete</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="study in studies.data.value" :key="study.id">
          <td>
            <RouterLink :to="`/bench/${reference(study)}/fit`"
              ><strong>{{ study.name }}</strong></RouterLink
            >
          </td>
          <td>{{ study.organisation || '—' }}</td>
          <td class="number">{{ study.workloads }}</td>
          <td class="number">{{ study.replicas }}</td>
          <td class="free">
            <RouterLink v-for="variant in study.variants" :key="variant.id" class="variant" :to="`/bench/${variant.id}/fit`">{{
              variant.name
            }}</RouterLink>
          </td>
          <td class="quiet">
            {{ new Date(study.created_at).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' }) }}
          </td>
          <td>
            <RouterLink :to="`/studies/${study.id}/variants`" :aria-label="`variants of ${study.name} beside each other`"
              >compare</RouterLink
            >
          </td>
          <td><a :href="`/api/studies/${study.id}/file.json`" download :aria-label="`${study.name} as a file`">file</a></td>
          <td v-if="mayEdit">
            <NButton size="tiny" quaternary :aria-label="`Delete ${study.name}`" @click="doomed = study">Delete…</NButton>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-else-if="studies.data.value" class="quiet">There is no study yet. Name one below; supply, targets and demand come next.</p>
    <form v-if="mayEdit" @submit.prevent="add">
      <NInput v-model:value="title" placeholder="name of a new study" :input-props="{ 'aria-label': 'Name of a new study' }" />
      <NButton type="primary" attr-type="submit" :disabled="!title.trim()" :loading="create.isPending.value">Create a study</NButton>
    </form>
    <BringStudy v-if="mayEdit" />
    <FaultList v-if="create.error.value" :faults="(create.error.value as Problem).faults ?? []" :title="create.error.value.message" />
    <FaultList v-if="remove.error.value" :faults="(remove.error.value as Problem).faults ?? []" :title="remove.error.value.message" />
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
  max-width: 1120px;
  margin: 0 auto;
  padding: 26px;
  display: grid;
  gap: 22px;
}
header {
  display: flex;
  align-items: center;
  gap: 14px;
}
.grow {
  flex: 1;
}
td,
th {
  padding: 9px 8px;
  white-space: nowrap;
}
td.free {
  white-space: normal;
}
.variant {
  margin-right: 14px;
  color: var(--ink);
}
form {
  display: grid;
  grid-template-columns: 320px auto;
  gap: 10px;
  justify-content: start;
}
</style>
