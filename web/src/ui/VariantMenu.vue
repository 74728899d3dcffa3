<script setup lang="ts">
import { NButton, NInput, NPopover } from 'naive-ui'
import { computed, ref, toRef } from 'vue'
import type { Bench, Problem } from '../api/client'
import { useArrangement } from '../api/comparison'
import FaultList from './FaultList.vue'

/** The study's variants: choose one, copy the one that is shown, take it out. */
const props = defineProps<{ bench: Bench; mayEdit: boolean }>()
const emit = defineEmits<{ variant: [id: number] }>()
const open = ref(false)
const name = ref('')
const own = computed(() => props.bench.study.variants.find((entry) => entry.id === props.bench.variant.id))
const reference = computed(() => props.bench.study.variants.find((entry) => entry.is_reference))
const arrangement = useArrangement(toRef(() => props.bench.study.id))
const problem = computed(() => arrangement.refused.value as Problem | null)

function choose(id: number): void {
  open.value = false
  emit('variant', id)
}
function copy(): void {
  arrangement.copy.mutate(
    { variant: props.bench.variant.id, name: name.value.trim() },
    { onSuccess: (made) => ((name.value = ''), choose(made.id)) },
  )
}
/** Take it out of the study; the reference is shown then, and undo brings it back. */
function remove(): void {
  arrangement.remove.mutate(props.bench.variant.id, { onSuccess: () => reference.value && choose(reference.value.id) })
}
</script>

<template>
  <NPopover v-model:show="open" trigger="click" placement="bottom-end" :show-arrow="false" style="padding: 0">
    <template #trigger>
      <button type="button" class="plain-button name" :aria-expanded="open" :title="bench.variant.name">
        <strong>{{ bench.variant.name }}</strong> <span aria-hidden="true">▾</span>
      </button>
    </template>
    <div class="menu" role="dialog" aria-label="variants of this study">
      <button
        v-for="entry in bench.study.variants"
        :key="entry.id"
        type="button"
        class="plain-button entry"
        :class="{ now: entry.id === bench.variant.id }"
        :aria-current="entry.id === bench.variant.id"
        @click="choose(entry.id)"
      >
        {{ entry.name }} <span v-if="entry.is_reference" class="quiet">reference</span>
      </button>
      <RouterLink :to="`/studies/${bench.study.id}/variants`" class="beside">Variants beside each other</RouterLink>
      <RouterLink :to="`/studies/${bench.study.id}/history`" class="beside">History of this study</RouterLink>
      <RouterLink :to="`/studies/${bench.study.id}/sign-off?ask=${bench.variant.id}`" class="beside"
        >Hand this one in to be signed</RouterLink
      >
      <template v-if="mayEdit">
        <form class="copy" @submit.prevent="copy">
          <NInput
            v-model:value="name"
            size="small"
            :maxlength="80"
            placeholder="name of a copy"
            :input-props="{ 'aria-label': 'name of a copy' }"
          />
          <NButton size="small" attr-type="submit" :disabled="!name.trim()" :loading="arrangement.copy.isPending.value"
            >Copy this one</NButton
          >
        </form>
        <NButton v-if="!own?.is_reference" size="small" :loading="arrangement.remove.isPending.value" @click="remove"
          >Take this one out</NButton
        >
        <FaultList v-if="problem" :faults="problem.faults" :title="problem.message" />
      </template>
    </div>
  </NPopover>
</template>

<style scoped>
.name {
  min-height: 24px;
  text-align: right;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  max-width: 150px;
  font-size: 13px;
}
.menu {
  display: grid;
  gap: 6px;
  padding: 10px;
  min-width: 260px;
  max-width: 340px;
  background: var(--panel);
  color: var(--ink);
}
.entry {
  text-align: left;
  padding: 3px 6px;
}
.entry.now {
  font-weight: 640;
  box-shadow: inset 3px 0 0 var(--madder);
}
.entry:hover {
  background: var(--wash);
}
.beside {
  padding: 3px 6px;
}
.copy {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 6px;
  border-top: 1px solid var(--line);
  padding-top: 8px;
}
.menu p {
  font-size: 12px;
}
</style>
