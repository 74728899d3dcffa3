<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import type { Problem } from '../api/client'
import { useEndSession, useSessions } from '../api/people'
import { moment } from '../domain/format'

/** Where one is signed in, each with a way to end it. */
const sessions = useSessions()
const end = useEndSession()
const found = computed(() => sessions.data.value ?? [])
const error = computed(() => (end.error.value ?? sessions.error.value) as Problem | null)
</script>

<template>
  <table>
    <thead>
      <tr>
        <th>since</th>
        <th>from</th>
        <th>with</th>
        <th></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="session in found" :key="session.id">
        <td>{{ moment(session.opened_at) }}</td>
        <td>{{ session.address || '—' }}</td>
        <td class="agent" :title="session.agent">{{ session.agent || '—' }}</td>
        <td class="number">
          <span v-if="session.here" class="quiet">this one</span>
          <NButton v-else size="tiny" :aria-label="`end the session since ${moment(session.opened_at)}`" @click="end.mutate(session.id)"
            >End</NButton
          >
        </td>
      </tr>
    </tbody>
  </table>
  <p v-if="error" class="madder" role="alert">{{ error.message }}</p>
  <NButton v-if="found.length > 1" size="small" class="own" @click="end.mutate(null)">End all others</NButton>
</template>

<style scoped>
table {
  width: 100%;
}
.agent {
  max-width: 420px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.own {
  justify-self: start;
}
</style>
