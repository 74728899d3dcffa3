<script setup lang="ts">
import { NButton, NCheckbox, NInput } from 'naive-ui'
import { computed, ref, toRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import type { Problem } from '../../api/client'
import type { VariantRef } from '../../api/comparison'
import { useRestore } from '../../api/history'
import FaultList from '../../ui/FaultList.vue'
import OneOf from '../../ui/OneOf.vue'

/** An earlier revision brought back as a new variant. */
const props = defineProps<{ study: number; revision: number; words: string; variants: VariantRef[] }>()
const router = useRouter()
const restore = useRestore(toRef(props, 'study'))
const problem = computed(() => restore.error.value as Problem | null)
const variant = ref<number | null>(null)
const name = ref('')
const demand = ref(false)
watch(
  () => props.variants,
  (known) => (variant.value ??= known.find((entry) => entry.is_reference)?.id ?? null),
  { immediate: true },
)

function send(): void {
  if (variant.value === null) return
  restore.mutate(
    { revision: props.revision, variant_id: variant.value, name: name.value.trim(), demand: demand.value },
    { onSuccess: (made) => router.push(`/bench/${made.id}/fit`) },
  )
}
</script>

<template>
  <form class="restore" @submit.prevent="send">
    <h2>Bring {{ words }} back as a new variant</h2>
    <div class="fields">
      <OneOf
        size="small"
        name="which variant"
        :value="variant"
        :options="variants.map((entry) => ({ value: entry.id, label: entry.name }))"
        @update:value="variant = $event as number"
      />
      <NInput
        v-model:value="name"
        size="small"
        :maxlength="80"
        placeholder="name of the new variant"
        :input-props="{ 'aria-label': 'name of the new variant' }"
      />
      <NButton size="small" attr-type="submit" :disabled="!name.trim() || variant === null" :loading="restore.isPending.value"
        >Bring it back</NButton
      >
    </div>
    <NCheckbox v-model:checked="demand">rows of demand become again what they were, for all variants; undo takes that back</NCheckbox>
    <FaultList v-if="problem" :faults="problem.faults" :title="problem.message" />
  </form>
</template>

<style scoped>
.restore {
  display: grid;
  gap: 8px;
  border-top: 1px solid var(--line);
  padding-top: 12px;
}
.fields {
  display: grid;
  grid-template-columns: 180px 220px auto;
  gap: 8px;
  justify-content: start;
}
</style>
