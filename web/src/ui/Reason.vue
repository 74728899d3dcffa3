<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { NPopover } from 'naive-ui'
import { ref } from 'vue'

/** A figure that opens its derivation; class and title go to the button itself. */
defineOptions({ inheritAttrs: false })
defineProps<{ title: string; lines: string[]; links?: (string | null)[] }>()
const emit = defineEmits<{ go: [link: string] }>()
const open = ref(false)
useEventListener('keydown', (event: KeyboardEvent) => {
  if (event.key === 'Escape') open.value = false
})
</script>

<template>
  <NPopover v-model:show="open" trigger="click" placement="bottom-start" :show-arrow="false">
    <template #trigger>
      <button type="button" class="plain-button reason" v-bind="$attrs" :aria-expanded="open"><slot /></button>
    </template>
    <div class="derivation">
      <h2>{{ title }}</h2>
      <p v-for="(line, place) in lines" :key="line">
        {{ line }}
        <button v-if="links?.[place]" type="button" class="plain-button madder" @click="((open = false), emit('go', links[place] ?? ''))">
          go there
        </button>
      </p>
    </div>
  </NPopover>
</template>

<style scoped>
.reason {
  width: 100%;
}
.reason:hover {
  background: var(--wash);
}
.derivation {
  max-width: 400px;
  display: grid;
  gap: 6px;
}
</style>
