<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import type { Arrangement, VariantRef } from '../../api/comparison'
import DraftField from '../../ui/DraftField.vue'

/** The variants of a study under what they were copied from: choose which stand beside each other, name, note, order, copy, take out. */
const props = defineProps<{
  variants: VariantRef[]
  /** Keys of the plans that stand beside each other. */
  chosen: string[]
  arrangement: Arrangement
  mayEdit: boolean
}>()
const emit = defineEmits<{ choose: [key: string] }>()
const opened = ref<number | null>(null)
const copyName = ref('')

interface Entry {
  variant: VariantRef
  depth: number
}
/** In the planner's order; a copy stands below what it was made from, further in. */
const tree = computed<Entry[]>(() => {
  const known = new Set(props.variants.map((entry) => entry.id))
  const below = (parent: number | null): VariantRef[] =>
    props.variants.filter((entry) => (entry.came_from !== null && known.has(entry.came_from) ? entry.came_from : null) === parent)
  const walk = (parent: number | null, depth: number): Entry[] =>
    below(parent).flatMap((variant) => [{ variant, depth }, ...walk(variant.id, depth + 1)])
  return walk(null, 0)
})

function move(variant: VariantRef, by: number): void {
  const place = props.variants.findIndex((entry) => entry.id === variant.id) + by
  if (place >= 0 && place < props.variants.length) props.arrangement.arrange.mutate({ variant: variant.id, place })
}
function copy(variant: VariantRef): void {
  props.arrangement.copy.mutate({ variant: variant.id, name: copyName.value.trim() }, { onSuccess: () => (copyName.value = '') })
}
</script>

<template>
  <ul aria-label="variants">
    <li v-for="{ variant, depth } in tree" :key="variant.id" :style="{ marginLeft: `${depth * 16}px` }">
      <div class="line">
        <input
          type="checkbox"
          :checked="chosen.includes(`v${variant.id}`)"
          :disabled="chosen.length > 3 && !chosen.includes(`v${variant.id}`)"
          :aria-label="`${variant.name} beside the others`"
          @change="emit('choose', `v${variant.id}`)"
        />
        <RouterLink :to="`/bench/${variant.id}/fit`">{{ variant.name }}</RouterLink>
        <span v-if="variant.is_reference" class="quiet">reference</span>
        <button
          v-if="mayEdit"
          type="button"
          class="plain-button quiet more"
          :aria-expanded="opened === variant.id"
          :aria-label="`arrange ${variant.name}`"
          @click="opened = opened === variant.id ? null : variant.id"
        >
          {{ opened === variant.id ? 'close' : 'arrange' }}
        </button>
      </div>
      <p v-if="variant.note && opened !== variant.id" class="quiet note">{{ variant.note }}</p>
      <div v-if="opened === variant.id" class="tools">
        <DraftField
          wide
          title="name"
          :name="`name of ${variant.name}`"
          :value="variant.name"
          may-edit
          @keep="(name, kept) => arrangement.arrange.mutate({ variant: variant.id, name }, { onSuccess: kept })"
        />
        <DraftField
          wide
          title="note"
          :name="`note on ${variant.name}`"
          :value="variant.note"
          may-edit
          @keep="(note, kept) => arrangement.arrange.mutate({ variant: variant.id, note }, { onSuccess: kept })"
        />
        <form @submit.prevent="copy(variant)">
          <NInput
            v-model:value="copyName"
            size="tiny"
            :maxlength="80"
            placeholder="name of a copy"
            :input-props="{ 'aria-label': 'name of a copy' }"
          />
          <NButton size="tiny" attr-type="submit" :disabled="!copyName.trim()" :loading="arrangement.copy.isPending.value"
            >Copy with its plan</NButton
          >
        </form>
        <div class="buttons">
          <NButton size="tiny" @click="move(variant, -1)">Up</NButton>
          <NButton size="tiny" @click="move(variant, 1)">Down</NButton>
          <NButton v-if="!variant.is_reference" size="tiny" @click="arrangement.arrange.mutate({ variant: variant.id, is_reference: true })"
            >Make it the reference</NButton
          >
          <NButton v-if="!variant.is_reference" size="tiny" @click="arrangement.remove.mutate(variant.id)">Take it out</NButton>
        </div>
        <p v-if="variant.is_reference" class="quiet">The others are compared with the reference: it goes only with the study.</p>
      </div>
    </li>
  </ul>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 2px;
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 4px 0;
  border-bottom: 1px solid var(--line);
}
.line a {
  color: var(--ink);
}
.more {
  margin-left: auto;
  min-height: 24px;
}
.note {
  font-size: 12px;
  padding: 2px 0 4px 22px;
}
.tools {
  display: grid;
  gap: 6px;
  padding: 6px 0 10px 22px;
}
form {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 6px;
}
.buttons {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
input[type='checkbox'] {
  accent-color: var(--petrol);
  min-width: 16px;
  min-height: 16px;
}
</style>
