<script setup lang="ts">
import { NButton } from 'naive-ui'
import { ref } from 'vue'

/** Something secret that is shown now and never again: `what` it is, and its `text` to be copied. */
const props = defineProps<{ text: string; what: string }>()
defineEmits<{ done: [] }>()
const copied = ref(false)

async function copy(): Promise<void> {
  // Without the permission the text can still be chosen and copied by hand.
  copied.value = await navigator.clipboard.writeText(props.text).then(
    () => true,
    () => false,
  )
}
</script>

<template>
  <div class="once" role="status">
    <p>{{ what }}, shown this once:</p>
    <code>{{ text }}</code>
    <p class="row">
      <NButton size="small" @click="copy">{{ copied ? 'Copied' : 'Copy' }}</NButton>
      <NButton size="small" quaternary @click="$emit('done')">I have it</NButton>
    </p>
  </div>
</template>

<style scoped>
.once {
  border: 1px solid var(--amber);
  padding: 12px;
  display: grid;
  gap: 8px;
}
code {
  overflow-wrap: anywhere;
  user-select: all;
}
.row {
  display: flex;
  gap: 8px;
}
</style>
