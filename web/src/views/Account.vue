<script setup lang="ts">
import { computed } from 'vue'
import { NButton } from 'naive-ui'
import { inShort } from '../api/client'
import { hasOutside, useConnectOutside, usePerson } from '../api/session'
import HousePage from '../ui/HousePage.vue'
import OwnPassword from '../ui/OwnPassword.vue'
import OwnSessions from '../ui/OwnSessions.vue'
import OwnTokens from '../ui/OwnTokens.vue'

/** One's own account: password, where one is signed in, tokens for pipelines. */
const person = usePerson()
const connect = useConnectOutside()
const plans = computed(() => person.data.value?.role !== 'owner')
</script>

<template>
  <HousePage title="Your account">
    <template #beside
      ><span v-if="person.data.value" class="quiet">{{ person.data.value.username }}, {{ person.data.value.role }}</span></template
    >
    <section aria-label="sessions">
      <h2>Where you are signed in</h2>
      <OwnSessions />
    </section>
    <section v-if="plans" aria-label="tokens">
      <h2>Tokens for pipelines</h2>
      <OwnTokens />
    </section>
    <section v-if="hasOutside" aria-label="organisation’s account">
      <h2>Your organisation’s account</h2>
      <p v-if="person.data.value?.outside">Connected: you may sign in with it.</p>
      <p v-else>
        <NButton size="small" :loading="connect.isPending.value" @click="connect.mutate()">Connect it</NButton>
        <span class="quiet"> so that you may sign in with it.</span>
      </p>
      <p v-if="connect.error.value" class="madder" role="alert">{{ inShort(connect.error.value) }}</p>
    </section>
    <section aria-label="password">
      <h2>Password</h2>
      <OwnPassword />
    </section>
  </HousePage>
</template>

<style scoped>
section {
  display: grid;
  gap: 12px;
  font-size: 12px;
}
h2 {
  font-size: 14px;
}
</style>
