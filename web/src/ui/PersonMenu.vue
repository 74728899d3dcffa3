<script setup lang="ts">
import { NDropdown } from 'naive-ui'
import { computed } from 'vue'
import { useRouter } from 'vue-router'
import { useInbox } from '../api/inbox'
import { usePerson, useSignOut } from '../api/session'

/** Who is signed in and how much is unread, with the ways from here: the studies, the inbox, the intake, the own account, out. */
const router = useRouter()
const person = usePerson()
const signOut = useSignOut()
const inbox = useInbox()
const unread = computed(() => inbox.data.value?.unread ?? 0)
const plans = computed(() => person.data.value?.role !== 'owner')
const options = computed(() => [
  ...(plans.value
    ? [
        { key: '/', label: 'All studies' },
        { key: '/house', label: 'House rules' },
      ]
    : []),
  { key: '/inbox', label: unread.value ? `Inbox, ${unread.value} unread` : 'Inbox' },
  { key: '/intake', label: plans.value ? 'Intake' : 'Ask for capacity' },
  ...(person.data.value?.role === 'lead'
    ? [
        { key: '/people', label: 'People' },
        { key: '/operations', label: 'Operations' },
      ]
    : []),
  { key: '/account', label: 'Your account' },
  { key: 'out', label: 'Sign out' },
])

function choose(key: string): void {
  if (key === 'out') signOut.mutate(undefined, { onSuccess: () => router.push('/sign-in') })
  else void router.push(key)
}
</script>

<template>
  <NDropdown v-if="person.data.value" trigger="click" :options="options" @select="choose">
    <button type="button" class="plain-button quiet person" :title="`${person.data.value.full_name}, ${person.data.value.role}`">
      {{ person.data.value.full_name }}
      <span v-if="unread" class="unread" :aria-label="`${unread} unread`">{{ unread }}</span> ▾
    </button>
  </NDropdown>
</template>

<style scoped>
.person {
  font-size: 12px;
  white-space: nowrap;
}
.unread {
  background: var(--madder);
  color: var(--paper);
  padding: 0 4px;
  font-variant-numeric: tabular-nums;
}
</style>
