<script setup lang="ts">
import { NInput } from 'naive-ui'

/** A password with its `label`: one that is known, or (`fresh`) one that is being chosen, so that browsers offer the right thing. */
withDefaults(defineProps<{ label: string; fresh?: boolean }>(), { fresh: false })
const value = defineModel<string>('value', { required: true })
</script>

<template>
  <label
    >{{ label }}
    <NInput
      v-model:value="value"
      type="password"
      placeholder=""
      :input-props="{ autocomplete: fresh ? 'new-password' : 'current-password', 'aria-label': label }"
  /></label>
</template>

<style scoped>
label {
  display: grid;
  gap: 4px;
  font-size: 12px;
  color: var(--quiet);
}
</style>
