<script setup lang="ts">
import { NButton, NInput, NPopover } from 'naive-ui'
import { computed, ref } from 'vue'
import type { BenchActions } from '../api/bench'
import type { Bench, Problem } from '../api/client'
import DeleteDialog from './DeleteDialog.vue'
import FaultList from './FaultList.vue'

/** The study's variants: choose one, copy the one that is shown, delete it. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const emit = defineEmits<{ variant: [id: number] }>()
const open = ref(false)
const doomed = ref(false)
const name = ref('')
const own = computed(() => props.bench.study.variants.find((entry) => entry.id === props.bench.variant.id))
const reference = computed(() => props.bench.study.variants.find((entry) => entry.is_reference))
const problem = computed(() => (props.actions.copy.error.value ?? props.actions.remove.error.value) as Problem | null)

function choose(id: number): void {
  open.value = false
  emit('variant', id)
}
function copy(): void {
  props.actions.copy.mutate(name.value.trim(), { onSuccess: (made) => ((name.value = ''), choose(made.id)) })
}
function remove(typed: string): void {
  props.actions.remove.mutate(typed, {
    onSuccess: () => reference.value && choose(reference.value.id),
    onSettled: () => (doomed.value = false),
  })
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
      <template v-if="mayEdit">
        <form class="copy" @submit.prevent="copy">
          <NInput
            v-model:value="name"
            size="small"
            :maxlength="80"
            placeholder="name of a copy"
            :input-props="{ 'aria-label': 'name of a copy' }"
          />
          <NButton size="small" attr-type="submit" :disabled="!name.trim()" :loading="actions.copy.isPending.value">Copy this one</NButton>
        </form>
        <p v-if="own?.is_reference" class="quiet">
          This one is the reference, which the others are compared with: it goes only with the study.
        </p>
        <NButton v-else size="small" @click="((open = false), (doomed = true))">Delete this one</NButton>
        <FaultList v-if="problem" :faults="problem.faults" :title="problem.message" />
      </template>
    </div>
  </NPopover>
  <DeleteDialog
    :name="doomed ? bench.variant.name : null"
    what="Its fits and what was computed from them go with it; the study’s demand stays."
    :busy="actions.remove.isPending.value"
    @remove="remove"
    @close="doomed = false"
  />
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
