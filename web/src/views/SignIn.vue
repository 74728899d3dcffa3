<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useSignIn } from '../api/session'
import RombMark from '../ui/RombMark.vue'

const route = useRoute()
const router = useRouter()
const username = ref('')
const password = ref('')
const signIn = useSignIn()
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
  <main class="gate">
    <form class="cut" @submit.prevent="enter">
      <RombMark :height="54" />
      <div>
        <h1>Rombel</h1>
        <p class="quiet">Node pools over zones, at least cost, with proof.</p>
      </div>
      <label
        >Name <NInput v-model:value="username" :input-props="{ autocomplete: 'username', 'aria-label': 'Name' }" placeholder=""
      /></label>
      <label
        >Password
        <NInput
          v-model:value="password"
          type="password"
          :input-props="{ autocomplete: 'current-password', 'aria-label': 'Password' }"
          placeholder=""
      /></label>
      <p v-if="signIn.error.value" class="madder" role="alert">{{ signIn.error.value.message }}</p>
      <NButton type="primary" attr-type="submit" :loading="signIn.isPending.value">Sign in</NButton>
      <p v-if="demo" class="quiet note">
        The demo’s people are planner, lead, viewer and owner; their password is printed when the demo starts.
      </p>
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
.note {
  font-size: 12px;
}
</style>
