<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import type { Problem } from '../api/client'
import { useAcceptInvitation, useInvited } from '../api/people'
import FaultList from '../ui/FaultList.vue'
import GatePage from '../ui/GatePage.vue'
import PasswordInput from '../ui/PasswordInput.vue'

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
  <GatePage @enter="enter">
    <template v-if="who">
      <p>
        {{ who.full_name || who.username }}, you are invited as {{ who.role }}. You will sign in as <strong>{{ who.username }}</strong>.
      </p>
      <input type="hidden" autocomplete="username" :value="who.username" />
      <PasswordInput v-model:value="password" label="Choose a password" fresh />
      <PasswordInput v-model:value="again" label="The password again" fresh />
      <p class="quiet">Twelve letters or more, and none of those that everybody tries first.</p>
      <NButton type="primary" attr-type="submit" :disabled="!password || password !== again" :loading="accept.isPending.value"
        >Make the account</NButton
      >
    </template>
    <FaultList v-if="error" :title="error.message" :faults="error.faults ?? []" />
  </GatePage>
</template>
