<script setup lang="ts">
import { ref } from 'vue'
import HeldInput from './HeldInput.vue'

/** A line of a form: what is typed stays while answers come, and where it is refused, until it is kept. */
defineProps<{
  title: string
  value: string | number
  mayEdit: boolean
  placeholder?: string
  /** Whether it was refused. */
  wrong?: boolean
  /** Says what would mend a text that is not sent; empty: it is fine. */
  check?: (text: string) => string
  /** Whether the field is as wide as a range. */
  wide?: boolean
  /** What a screen reader calls it, where it stands without a title. */
  name?: string
}>()
const emit = defineEmits<{ keep: [text: string, kept: () => void] }>()
const reason = ref('')
</script>

<template>
  <label class="line" :class="{ wide, bare: !title }">
    <span v-if="title">{{ title }}</span>
    <HeldInput
      :value="value"
      :may-edit="mayEdit"
      :check="check"
      :wrong="wrong"
      :placeholder="placeholder"
      :aria-label="name ?? title"
      @keep="(text, kept) => emit('keep', text, kept)"
      @reason="reason = $event"
    />
    <span v-if="reason" class="madder">{{ reason }}</span>
  </label>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  gap: 4px 8px;
  align-items: center;
  padding: 3px 0;
  font-size: 12px;
  border-bottom: 1px solid var(--line);
}
.bare {
  padding: 0;
  border: 0;
}
input {
  width: 64px;
  font: inherit;
  color: inherit;
  background: transparent;
  border: 0;
  border-bottom: 1px solid var(--line);
  text-align: right;
}
/* The line below the row is enough until somebody means the field. */
.line:not(.bare) input:not(:hover, :focus, [aria-invalid='true']) {
  border-color: transparent;
}
.wide input {
  width: 140px;
}
.bare input {
  text-align: left;
}
</style>
