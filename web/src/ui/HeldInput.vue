<script setup lang="ts">
import { ref, watch } from 'vue'

/**
 * A field for text: what is typed stays while answers come, and where it is refused, until it is kept.
 *
 * It is one input, so that classes, placeholders and names given to it are the input's own.
 */
const props = defineProps<{
  value: string | number | null | undefined
  mayEdit: boolean
  /** Says what would fix a text that is not sent; empty: it is fine. */
  check?: (text: string) => string
  /** Whether it was refused. */
  wrong?: boolean
}>()
const emit = defineEmits<{ keep: [text: string, kept: () => void]; reason: [text: string] }>()
const typed = ref<string | null>(null)
/** What was typed last and sent. */
let sent: string | null = null

function isKept(text: string | null): void {
  sent = null
  // Somebody may have typed on while it was sent.
  if (typed.value === text) typed.value = null
}
// Of two changes sent at once only the later one tells that it was kept; the answer tells of both.
watch(
  () => props.value,
  () => sent !== null && isKept(sent),
)
function input(text: string): void {
  typed.value = text
}
function change(): void {
  const text = typed.value
  if (text === null) return
  const reason = props.check?.(text.trim()) ?? ''
  emit('reason', reason)
  if (reason) return
  // What was refused and is typed back to what it was is sent too: the refusal that stands beside it is over then.
  if (text.trim() === String(props.value ?? '') && sent === null) {
    typed.value = null
    return
  }
  sent = text
  emit('keep', text.trim(), () => isKept(text))
}
</script>

<template>
  <input
    :value="typed ?? value"
    :readonly="!mayEdit"
    :aria-invalid="wrong || (typed !== null && !!check?.(typed.trim()))"
    @input="input(($event.target as HTMLInputElement).value)"
    @change="change"
  />
</template>

<style scoped>
input[aria-invalid='true'] {
  border-color: var(--madder);
  color: var(--madder);
}
</style>
