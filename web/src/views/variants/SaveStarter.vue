<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import type { Problem } from '../../api/client'
import { useStarterActions } from '../../api/starters'
import FaultList from '../../ui/FaultList.vue'

/** A study saved as a starter of the house: the demand, what is promised, and the choices of one of its variants. */
const props = defineProps<{ variant: number; name: string }>()
const router = useRouter()
const save = useStarterActions().save
const title = ref('')
const error = computed(() => save.error.value as Problem | null)
function keep(): void {
  save.mutate(
    { name: title.value, note: '', variant_id: props.variant },
    { onSuccess: (made) => router.push({ path: '/starters', query: { of: String(made.id), blanks: 'yes' } }) },
  )
}
</script>

<template>
  <form class="save" @submit.prevent="keep">
    <h3>Save as a starter</h3>
    <p class="quiet">A shape with blanks of {{ name }} and the study’s demand, for others to fill in.</p>
    <NInput v-model:value="title" size="small" placeholder="name of the starter" :input-props="{ 'aria-label': 'Name of the starter' }" />
    <NButton size="small" attr-type="submit" :disabled="!title.trim()" :loading="save.isPending.value"
      >Save it, then say what it asks for</NButton
    >
    <FaultList v-if="error" :faults="error.faults ?? []" :title="error.message" />
  </form>
</template>

<style scoped>
.save {
  display: grid;
  gap: 6px;
  margin-top: 14px;
  border-top: 1px solid var(--line);
}
p {
  margin: 0;
}
</style>
