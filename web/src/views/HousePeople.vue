<script setup lang="ts">
import { NButton, NInput, NSelect } from 'naive-ui'
import { computed, ref } from 'vue'
import { inShort, type Problem } from '../api/client'
import { useHousePeople, type HousePerson, type RoleName } from '../api/people'
import { usePerson } from '../api/session'
import { day, moment } from '../domain/format'
import FaultList from '../ui/FaultList.vue'
import HousePage from '../ui/HousePage.vue'
import ShownOnce from '../ui/ShownOnce.vue'

/** Everybody of the house, for leads: roles, locks, and links for those who have no account yet. */
const { people, change, invite, withdraw } = useHousePeople()
const own = usePerson()
const found = computed(() => people.data.value ?? null)
const ROLES: { value: RoleName; label: string }[] = [
  { value: 'owner', label: 'service owner: asks for capacity' },
  { value: 'viewer', label: 'viewer: reads' },
  { value: 'planner', label: 'planner: plans' },
  { value: 'lead', label: 'lead: plans, signs, looks after people' },
]
const username = ref('')
const fullName = ref('')
const role = ref<RoleName>('planner')
const error = computed(() => (people.error.value ?? change.error.value ?? withdraw.error.value) as Problem | null)
const refused = computed(() => invite.error.value as Problem | null)
const link = computed(() => (invite.data.value ? `${location.origin}/invited#${invite.data.value.secret}` : ''))
const isOwn = (person: HousePerson) => person.username === own.data.value?.username

function send(): void {
  invite.mutate(
    { username: username.value, full_name: fullName.value, role: role.value },
    { onSuccess: () => (username.value = fullName.value = '') },
  )
}
</script>

<template>
  <HousePage title="People" :width="1080" class="people">
    <p v-if="error" class="madder" role="alert">
      {{ inShort(error) }}
    </p>
    <template v-if="found">
      <table>
        <thead>
          <tr>
            <th>name</th>
            <th>signs in as</th>
            <th>role</th>
            <th>signed in last</th>
            <th class="number">sessions</th>
            <th class="number">tokens</th>
            <th></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="person in found.people" :key="person.id" :class="{ quiet: person.locked }">
            <td>{{ person.full_name }}</td>
            <td>{{ person.username }}{{ person.locked ? ', locked out' : '' }}</td>
            <td>
              <span v-if="isOwn(person)">{{ person.role }}, you</span>
              <NSelect
                v-else
                size="tiny"
                :value="person.role"
                :options="ROLES"
                :aria-label="`role of ${person.full_name}`"
                @update:value="(chosen: RoleName) => change.mutate({ id: person.id, role: chosen })"
              />
            </td>
            <td>{{ person.last_sign_in ? moment(person.last_sign_in) : 'never' }}</td>
            <td class="number">{{ person.sessions }}</td>
            <td class="number">{{ person.tokens }}</td>
            <td class="number">
              <NButton
                v-if="!isOwn(person)"
                size="tiny"
                :aria-label="`${person.locked ? 'let in' : 'lock out'} ${person.full_name}`"
                @click="change.mutate({ id: person.id, locked: !person.locked })"
                >{{ person.locked ? 'Let in' : 'Lock out' }}</NButton
              >
            </td>
          </tr>
        </tbody>
      </table>
      <section aria-label="invitations">
        <h2>Invite somebody</h2>
        <ul v-if="found.invitations.length">
          <li v-for="entry in found.invitations" :key="entry.id">
            {{ entry.full_name ? `${entry.full_name} (${entry.username})` : entry.username }} as {{ entry.role }}, the link is good until
            {{ day(entry.expires_at) }}
            <NButton size="tiny" :aria-label="`take back the invitation of ${entry.username}`" @click="withdraw.mutate(entry.id)"
              >Take back</NButton
            >
          </li>
        </ul>
        <ShownOnce v-if="invite.data.value" :text="link" :what="`The link for ${invite.data.value.username}`" @done="invite.reset()" />
        <form v-else @submit.prevent="send">
          <label>Signs in as <NInput v-model:value="username" placeholder="" :input-props="{ 'aria-label': 'Signs in as' }" /></label>
          <label>Full name <NInput v-model:value="fullName" placeholder="" :input-props="{ 'aria-label': 'Full name' }" /></label>
          <label>Role <NSelect v-model:value="role" :options="ROLES" aria-label="Role" /></label>
          <NButton type="primary" attr-type="submit" :disabled="!username.trim()" :loading="invite.isPending.value">Make a link</NButton>
        </form>
        <FaultList v-if="refused" :title="refused.message" :faults="refused.faults ?? []" />
        <p class="quiet">A link is good once, for seven days. Send it yourself: nothing leaves this machine.</p>
      </section>
    </template>
  </HousePage>
</template>

<style scoped>
.people {
  font-size: 12px;
}
h2 {
  font-size: 14px;
}
table {
  width: 100%;
}
section {
  display: grid;
  gap: 12px;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
form {
  display: grid;
  grid-template-columns: 1fr 1fr 1.4fr auto;
  gap: 12px;
  align-items: end;
}
label {
  display: grid;
  gap: 4px;
  color: var(--quiet);
}
</style>
