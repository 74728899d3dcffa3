<script setup lang="ts">
import { NButton, NCheckbox, NCheckboxGroup, NInput, NSelect } from 'naive-ui'
import { computed, ref } from 'vue'
import type { Problem } from '../api/client'
import { useTokens, type ScopeName } from '../api/people'
import { day, moment } from '../domain/format'
import FaultList from './FaultList.vue'
import ShownOnce from './ShownOnce.vue'

/** Tokens with which pipelines ask in one's name: what each may, until when, when it was used; a new one is shown once. */
const { tokens, make, end } = useTokens()
const SCOPES: { value: ScopeName; label: string }[] = [
  { value: 'read', label: 'read everything you see' },
  { value: 'fit', label: 'ask for fits and answers, and stop them' },
  { value: 'change', label: 'change what you may change' },
]
const DAYS = [7, 30, 90, 365].map((value) => ({ value, label: `${value} days` }))
const name = ref('')
const scopes = ref<ScopeName[]>(['read'])
const days = ref(90)
const found = computed(() => tokens.data.value ?? [])
const error = computed(() => (make.error.value ?? end.error.value) as Problem | null)
const over = (until: string) => new Date(until) < new Date()

function keep(): void {
  make.mutate({ name: name.value, scopes: scopes.value, days: days.value }, { onSuccess: () => (name.value = '') })
}
</script>

<template>
  <table v-if="found.length">
    <thead>
      <tr>
        <th>name</th>
        <th>may</th>
        <th>good until</th>
        <th>used last</th>
        <th></th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="token in found" :key="token.id">
        <td>{{ token.name }}</td>
        <td>{{ token.scopes.join(', ') }}</td>
        <td>
          <span :class="{ madder: over(token.expires_at) }">{{ day(token.expires_at) }}{{ over(token.expires_at) ? ', over' : '' }}</span>
        </td>
        <td>{{ token.used_at ? moment(token.used_at) : 'never' }}</td>
        <td class="number">
          <NButton size="tiny" :aria-label="`end the token ${token.name}`" @click="end.mutate(token.id)">End</NButton>
        </td>
      </tr>
    </tbody>
  </table>
  <p v-else class="quiet">You have none.</p>
  <ShownOnce v-if="make.data.value" :text="make.data.value.secret" :what="`The token ${make.data.value.name}`" @done="make.reset()" />
  <form v-else @submit.prevent="keep">
    <label>For which pipeline <NInput v-model:value="name" placeholder="" :input-props="{ 'aria-label': 'For which pipeline' }" /></label>
    <NCheckboxGroup v-model:value="scopes" class="scopes">
      <NCheckbox v-for="scope in SCOPES" :key="scope.value" :value="scope.value" :label="scope.label" />
    </NCheckboxGroup>
    <label>Good for <NSelect v-model:value="days" :options="DAYS" aria-label="Good for" /></label>
    <FaultList v-if="error" :title="error.message" :faults="error.faults ?? []" />
    <NButton type="primary" attr-type="submit" class="own" :disabled="!name.trim() || !scopes.length" :loading="make.isPending.value"
      >Make a token</NButton
    >
    <p class="quiet">
      A pipeline sends it as Authorization: Bearer, and needs no cookie. It never may more than you, and never signs, invites or states
      house rules.
    </p>
  </form>
</template>

<style scoped>
table {
  width: 100%;
}
form {
  max-width: 420px;
  display: grid;
  gap: 12px;
}
label {
  display: grid;
  gap: 4px;
  font-size: 12px;
  color: var(--quiet);
}
.scopes {
  display: grid;
  gap: 8px;
}
.own {
  justify-self: start;
}
</style>
