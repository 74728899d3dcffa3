<script setup lang="ts">
import { computed, toRef } from 'vue'
import { useSignOffs } from '../api/signing'
import { day, plural } from '../domain/format'

/** What is signed of a study and what differs since, and what waits to be signed; nothing where nothing was handed in. */
const props = defineProps<{ study: number }>()
const list = useSignOffs(toRef(props, 'study'))
const rows = computed(() => list.data.value?.sign_offs ?? [])
const signed = computed(() => rows.value.find((row) => row.state === 'signed'))
const waiting = computed(() => rows.value.filter((row) => row.state === 'waiting'))
const since = computed(() => list.data.value?.since ?? [])
</script>

<template>
  <p v-if="signed || waiting.length" class="line">
    <RouterLink v-if="signed" :to="`/studies/${study}/sign-off?of=${signed.id}`"
      >◆ {{ signed.variant_name }} signed {{ day(signed.closed_at ?? signed.asked_at) }}</RouterLink
    >
    <span v-if="signed" class="told" :title="since.join(' ')">{{
      since.length ? `since then: ${since.join(' ')}` : 'nothing differs since'
    }}</span>
    <RouterLink v-if="waiting.length" :to="`/studies/${study}/sign-off?of=${waiting[0]?.id}`"
      >◇
      {{
        waiting.length === 1 ? `${waiting[0]?.variant_name} waits to be signed` : `${plural(waiting.length, 'plan')} wait to be signed`
      }}</RouterLink
    >
  </p>
</template>

<style scoped>
.line {
  display: flex;
  gap: 12px;
  padding: 3px 14px;
  border-bottom: 1px solid var(--line);
  font-size: 12px;
  white-space: nowrap;
}
.told {
  overflow: hidden;
  text-overflow: ellipsis;
  color: var(--quiet);
  flex: 1;
}
</style>
