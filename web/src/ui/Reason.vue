<script setup lang="ts">
import { NPopover } from 'naive-ui'
import { onBeforeUnmount, ref, watch } from 'vue'

/** A figure that opens its derivation; class and title go to the button itself. */
defineOptions({ inheritAttrs: false })
defineProps<{ title: string; lines: string[]; links?: (string | null)[] }>()
const emit = defineEmits<{ go: [link: string] }>()
const open = ref(false)
const close = (event: KeyboardEvent) => {
  if (event.key === 'Escape') open.value = false
}
watch(open, (now) => (now ? window.addEventListener('keydown', close) : window.removeEventListener('keydown', close)))
onBeforeUnmount(() => window.removeEventListener('keydown', close))
</script>

<template>
  <NPopover v-model:show="open" trigger="click" placement="bottom-start" :show-arrow="false">
    <template #trigger>
      <button type="button" class="plain-button reason" v-bind="$attrs" :aria-expanded="open"><slot /></button>
    </template>
    <div class="derivation">
      <h2>{{ title }}</h2>
      <p v-for="(line, place) in lines" :key="line">{{ line }} <button v-if="links?.[place]" type="button" class="plain-button madder" @click="((open = false), emit('go', links[place] ?? ''))">go there</button></p>
    </div>
  </NPopover>
</template>

<style scoped>
.reason { width: 100%; }
.reason:hover { background: var(--wash); }
.derivation { max-width: 400px; display: grid; gap: 6px; }
</style>
