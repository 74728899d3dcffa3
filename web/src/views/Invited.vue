<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import type { Problem } from '../api/client'
import { useAcceptInvitation, useInvited } from '../api/people'
import FaultList from '../ui/FaultList.vue'
import RombMark from '../ui/RombMark.vue'

/** Where a link of an invitation leads: who is invited, and the password of the account that is made. */
const router = useRouter()
// Behind the #, so that no server and no log on the way sees it.
const secret = location.hash.slice(1)
const invited = useInvited(secret)
const accept = useAcceptInvitation()
const password = ref('')
const again = ref('')
const who = computed(() => invited.data.value ?? null)
const error = computed(() => (accept.error.value ?? invited.error.value) as Problem | null)

function enter(): void {
  accept.mutate({ secret, password: password.value }, { onSuccess: (person) => router.replace(person.role === 'owner' ? '/intake' : '/') })
}
</script>

<template>
  <main class="gate">
    <form class="cut" @submit.prevent="enter">
      <RombMark :height="54" />
      <h1>Rombel</h1>
      <template v-if="who">
        <p>
          {{ who.full_name || who.username }}, you are invited as {{ who.role }}. You will sign in as <strong>{{ who.username }}</strong>.
        </p>
        <input type="hidden" autocomplete="username" :value="who.username" />
        <label
          >Choose a password
          <NInput
            v-model:value="password"
            type="password"
            placeholder=""
            :input-props="{ autocomplete: 'new-password', 'aria-label': 'Choose a password' }"
        /></label>
        <label
          >The password again
          <NInput
            v-model:value="again"
            type="password"
            placeholder=""
            :input-props="{ autocomplete: 'new-password', 'aria-label': 'The password again' }"
        /></label>
        <p class="quiet">Twelve letters or more, and none of those that everybody tries first.</p>
        <NButton type="primary" attr-type="submit" :disabled="!password || password !== again" :loading="accept.isPending.value"
          >Make the account</NButton
        >
      </template>
      <FaultList v-if="error" :title="error.message" :faults="error.faults ?? []" />
    </form>
  </main>
</template>

<style scoped>
.gate {
  min-height: 100vh;
  display: grid;
  place-items: center;
}
form {
  width: 340px;
  padding: 28px;
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
