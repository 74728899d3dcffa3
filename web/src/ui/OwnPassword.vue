<script setup lang="ts">
import { NButton, NInput, useMessage } from 'naive-ui'
import { computed, ref } from 'vue'
import type { Problem } from '../api/client'
import { useChangePassword } from '../api/session'
import FaultList from './FaultList.vue'

/** One's own password: the old one, and twice the new one. */
const message = useMessage()
const change = useChangePassword()
const old = ref('')
const fresh = ref('')
const again = ref('')
const error = computed(() => change.error.value as Problem | null)
const differ = computed(() => again.value !== '' && again.value !== fresh.value)

function keep(): void {
  change.mutate(
    { old: old.value, new: fresh.value },
    {
      onSuccess: () => {
        message.success('Your password is another one now. Wherever else you were signed in, you no longer are.')
        old.value = fresh.value = again.value = ''
      },
    },
  )
}
</script>

<template>
  <form @submit.prevent="keep">
    <label
      >Your password
      <NInput
        v-model:value="old"
        type="password"
        placeholder=""
        :input-props="{ autocomplete: 'current-password', 'aria-label': 'Your password' }"
    /></label>
    <label
      >A new one
      <NInput
        v-model:value="fresh"
        type="password"
        placeholder=""
        :input-props="{ autocomplete: 'new-password', 'aria-label': 'A new one' }"
    /></label>
    <label
      >The new one again
      <NInput
        v-model:value="again"
        type="password"
        placeholder=""
        :input-props="{ autocomplete: 'new-password', 'aria-label': 'The new one again' }"
    /></label>
    <p v-if="differ" class="madder" role="alert">The two new ones are not the same.</p>
    <FaultList v-if="error" :title="error.message" :faults="error.faults ?? []" />
    <NButton type="primary" attr-type="submit" :disabled="!old || !fresh || again !== fresh" :loading="change.isPending.value"
      >Change it</NButton
    >
    <p class="quiet">Twelve letters or more, and none of those that everybody tries first. Every other session of yours ends.</p>
  </form>
</template>

<style scoped>
form {
  max-width: 360px;
  display: grid;
  gap: 14px;
}
label {
  display: grid;
  gap: 4px;
  font-size: 12px;
  color: var(--quiet);
}
</style>
