<script setup lang="ts">
import { NSelect } from 'naive-ui'
import { onMounted, onUpdated, ref, type ComponentPublicInstance } from 'vue'

/** A choice with a name that is read out: the component library names only those that can be typed into. */
defineOptions({ inheritAttrs: false })
const props = defineProps<{ name: string }>()
const own = ref<ComponentPublicInstance | null>(null)
const open = ref(false)
function tell(): void {
  const box = (own.value?.$el as HTMLElement | undefined)?.querySelector('.n-base-selection-label, .n-base-selection-tags')
  box?.setAttribute('role', 'combobox')
  box?.setAttribute('aria-haspopup', 'listbox')
  box?.setAttribute('aria-expanded', String(open.value))
  box?.setAttribute('aria-label', props.name)
}
function show(now: boolean): void {
  open.value = now
  tell()
}
onMounted(tell)
onUpdated(tell)
</script>

<template>
  <NSelect ref="own" v-bind="$attrs" @update:show="show" />
</template>
