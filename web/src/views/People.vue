<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import { useRoute } from 'vue-router'
import type { Problem } from '../api/client'
import { useShareStudy, useStudyPeople, type StudyPeople, type StudyRole } from '../api/sharing'
import { useSignedIn } from '../composables/useSignedIn'
import FaultList from '../ui/FaultList.vue'
import OneOf from '../ui/OneOf.vue'
import StudyPage from '../ui/StudyPage.vue'

/** Who may do what with a study: people who are named in it, and everybody else. */
const route = useRoute()
useSignedIn()
const study = computed(() => Number(route.params.study))
const query = useStudyPeople(study)
const told = computed(() => query.data.value ?? null)
const share = useShareStudy(study)
const error = computed(() => (share.error.value ?? query.error.value) as Problem | null)
const owns = computed(() => told.value?.yours === 'owner')
const find = ref('')
type Named = StudyPeople['people'][number]
const ROLES: { value: StudyRole; label: string }[] = [
  { value: 'reader', label: 'reader: looks' },
  { value: 'editor', label: 'editor: changes' },
  { value: 'owner', label: 'owner: shares, puts away, deletes' },
]
const OTHERS = [
  { value: 'editor', label: 'may edit, as far as their role in the house goes' },
  { value: 'reader', label: 'may read' },
  { value: 'nothing', label: 'do not see it' },
]
const named = computed(() => (told.value?.people ?? []).filter((each) => standing(each) !== null))
const free = computed(() => {
  const text = find.value.trim().toLowerCase()
  return (told.value?.people ?? []).filter((each) => standing(each) === null && each.full_name.toLowerCase().includes(text))
})
/** What a person is in the study by name; null: what all others are. */
function standing(each: Named): StudyRole | null {
  if (each.house_role === 'lead') return 'owner'
  return each.role ?? (each.made_it ? 'owner' : null)
}
function why(each: Named): string {
  if (each.house_role === 'lead') return 'as every lead'
  if (each.role) return each.house_role === 'viewer' && each.role !== 'reader' ? 'reads only, as a viewer in the house' : 'named'
  return 'made it'
}
</script>

<template>
  <StudyPage :study="study" here="people" :title="told?.study_name ?? 'People'" words="who may do what with it">
    <section v-if="told" class="people" tabindex="0" aria-label="people">
      <FaultList v-if="error" :faults="error.faults" :title="error.message" />
      <div class="others">
        <span id="others">People who are not named here</span>
        <OneOf
          name="what all others may"
          size="small"
          :value="told.others"
          :options="OTHERS"
          :disabled="!owns || share.isPending.value"
          @update:value="share.mutate({ others: $event })"
        />
      </div>
      <p v-if="!owns" class="quiet">Owners of the study and leads decide who may do what; you are {{ told.yours }}.</p>
      <table aria-label="people who are named">
        <thead>
          <tr>
            <th>who</th>
            <th>in the house</th>
            <th>in this study</th>
            <th>why</th>
            <th><span class="unseen">what to do</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="each in named" :key="each.username">
            <td>
              <strong>{{ each.full_name }}</strong>
            </td>
            <td class="quiet">{{ each.house_role }}</td>
            <td>
              <OneOf
                v-if="owns && each.house_role !== 'lead'"
                size="small"
                :name="`what ${each.full_name} is in this study`"
                :value="standing(each)"
                :options="ROLES"
                @update:value="share.mutate({ username: each.username, role: $event })"
              />
              <template v-else>{{ standing(each) }}</template>
            </td>
            <td class="quiet">{{ why(each) }}</td>
            <td>
              <NButton
                v-if="owns && each.role"
                size="tiny"
                quaternary
                :aria-label="`name ${each.full_name} no longer`"
                @click="share.mutate({ username: each.username, role: null })"
                >no longer</NButton
              >
            </td>
          </tr>
        </tbody>
      </table>
      <template v-if="owns">
        <h2>Name somebody</h2>
        <NInput
          v-model:value="find"
          size="small"
          class="find"
          placeholder="part of a name"
          :input-props="{ 'aria-label': 'find a person' }"
        />
        <ul class="free">
          <li v-for="each in free" :key="each.username">
            {{ each.full_name }} <span class="quiet">{{ each.house_role }}</span>
            <NButton
              v-for="role in each.house_role === 'viewer' ? ROLES.slice(0, 1) : ROLES"
              :key="role.value"
              size="tiny"
              :aria-label="`name ${each.full_name} ${role.value}`"
              @click="share.mutate({ username: each.username, role: role.value })"
              >{{ role.value }}</NButton
            >
          </li>
        </ul>
        <p v-if="!free.length" class="quiet">{{ find ? 'Nobody of that name is left to be named.' : 'Everybody is named.' }}</p>
      </template>
    </section>
    <FaultList v-else-if="error" :faults="error.faults" :title="error.message" />
  </StudyPage>
</template>

<style scoped>
.people {
  overflow: auto;
  padding: 18px;
  display: grid;
  gap: 14px;
  align-content: start;
  max-width: 980px;
}
.others {
  display: grid;
  grid-template-columns: auto 380px;
  gap: 12px;
  align-items: center;
  justify-content: start;
}
.find {
  max-width: 260px;
}
.free {
  display: grid;
  gap: 6px;
  margin: 0;
  padding: 0;
  list-style: none;
}
.free button {
  margin-left: 8px;
}
td {
  padding: 6px 8px;
}
</style>
