<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { hasOutside, useSignIn } from '../api/session'
import GatePage from '../ui/GatePage.vue'
import PasswordInput from '../ui/PasswordInput.vue'

const route = useRoute()
const router = useRouter()
const username = ref('')
const password = ref('')
const signIn = useSignIn()
/** Why somebody who came from the identity provider was not let in. */
const REFUSED: Record<string, string> = {
  unknown:
    'No account here is connected with who you are there. Sign in with your password and connect it under Your account, or ask a lead for an invitation.',
  taken: 'There is an account of that name already. If it is yours, sign in with its password and connect it under Your account.',
  other: 'Who you are there is connected with another account already.',
  locked: 'Your account is locked. Ask a lead.',
  wrong: 'What the identity provider said could not be verified. Try again.',
  away: 'The identity provider does not answer. Try again in a moment, or sign in with a password.',
}
const refused = REFUSED[String(route.query.refused ?? '')] ?? null
/** The demo tells its people; a house of its own does not. */
const demo = document.querySelector('meta[name=rombel-demo]') !== null

/** Where one came from, if that is a place of ours. */
function next(): string | null {
  const wanted = String(route.query.next ?? '')
  return wanted.startsWith('/') && !wanted.startsWith('//') && !wanted.startsWith('/sign-in') ? wanted : null
}
function enter(): void {
  signIn.mutate(
    { username: username.value, password: password.value },
    { onSuccess: (person) => router.push(next() ?? (person.role === 'owner' ? '/intake' : '/')) },
  )
}
</script>

<template>
  <GatePage @enter="enter">
    <template #beside><p class="quiet">Node pools over zones, at least cost, with proof.</p></template>
    <label>Name <NInput v-model:value="username" :input-props="{ autocomplete: 'username', 'aria-label': 'Name' }" placeholder="" /></label>
    <PasswordInput v-model:value="password" label="Password" />
    <p v-if="signIn.error.value" class="madder" role="alert">{{ signIn.error.value.message }}</p>
    <NButton type="primary" attr-type="submit" :loading="signIn.isPending.value">Sign in</NButton>
    <p v-if="refused && !signIn.error.value" class="madder" role="alert">{{ refused }}</p>
    <p v-if="hasOutside"><a href="/outside/begin">Sign in with your organisation’s account</a></p>
    <p v-if="demo" class="quiet note">
      The demo’s people are planner, lead, viewer and owner; their password is printed when the demo starts.
    </p>
  </GatePage>
</template>

<style scoped>
label {
  display: grid;
  gap: 4px;
  font-size: 12px;
  color: var(--quiet);
}
.note {
  font-size: 12px;
}
</style>
