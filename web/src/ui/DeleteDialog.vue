<script setup lang="ts">
import { NButton, NInput, NModal } from 'naive-ui'
import { ref, watch } from 'vue'

/** What cannot be undone asks for the name of what it would delete. */
const props = defineProps<{ name: string | null; what: string; busy: boolean }>()
const emit = defineEmits<{ remove: [typed: string]; close: [] }>()
const typed = ref('')
watch(
  () => props.name,
  () => (typed.value = ''),
)
</script>

<template>
  <NModal
    :show="name !== null"
    preset="card"
    :title="`Delete ‘${name}’`"
    style="width: 480px"
    @update:show="emit('close')"
    @close="emit('close')"
  >
    <form class="delete" @submit.prevent="emit('remove', typed)">
      <p>{{ what }} This cannot be undone. Type its name to delete it.</p>
      <NInput v-model:value="typed" :placeholder="name ?? ''" :input-props="{ 'aria-label': 'the name of what is to be deleted' }" />
      <div class="act">
        <NButton size="small" @click="emit('close')">Cancel</NButton>
        <NButton size="small" type="primary" attr-type="submit" :disabled="typed.trim() !== name" :loading="busy">Delete</NButton>
      </div>
    </form>
  </NModal>
</template>

<style scoped>
.delete {
  display: grid;
  gap: 10px;
}
.act {
  display: flex;
  gap: 10px;
  justify-content: flex-end;
}
</style>
