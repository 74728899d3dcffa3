<script setup lang="ts">
import { NButton, useMessage } from 'naive-ui'
import { computed, ref } from 'vue'
import type { Problem } from '../api/client'
import { useChangePassword } from '../api/session'
import FaultList from './FaultList.vue'
import PasswordInput from './PasswordInput.vue'

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
    <PasswordInput v-model:value="old" label="Your password" />
    <PasswordInput v-model:value="fresh" label="A new one" fresh />
    <PasswordInput v-model:value="again" label="The new one again" fresh />
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
</style>
