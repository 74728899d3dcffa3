<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import type { Problem } from '../../api/client'
import { useHandIn, type Draft } from '../../api/signing'
import FaultList from '../../ui/FaultList.vue'

/** What keeps a plan from being handed in, or the words that go with it. */
const props = defineProps<{ draft: Draft; mayEdit: boolean }>()
const emit = defineEmits<{ handed: [id: number] }>()
const words = ref('')
const handIn = useHandIn()
const problem = computed(() => handIn.error.value as Problem | null)

function send(): void {
  handIn.mutate(
    { variant: props.draft.variant_id, words: words.value, digest: props.draft.digest },
    { onSuccess: (made) => emit('handed', made.id) },
  )
}
</script>

<template>
  <aside class="ask" aria-label="hand it in">
    <template v-if="draft.hurdles.length">
      <FaultList :faults="draft.hurdles" title="First to be fixed" />
      <RouterLink :to="`/bench/${draft.variant_id}/preflight`">Look at it under Pre-flight</RouterLink>
    </template>
    <template v-else-if="mayEdit">
      <h2>Hand it in</h2>
      <p class="quiet">
        {{
          draft.needed > 1
            ? 'Two leads sign it: it costs more than the house’s amount, or nobody can tell that it does not.'
            : 'One lead signs it.'
        }}
        What stands here is frozen; the variant may go on.
      </p>
      <NInput
        v-model:value="words"
        type="textarea"
        size="small"
        :maxlength="1000"
        :autosize="{ minRows: 3, maxRows: 8 }"
        placeholder="what is decided by it, in a sentence"
        :input-props="{ 'aria-label': 'what is decided by it' }"
      />
      <NButton type="primary" size="small" :disabled="!words.trim()" :loading="handIn.isPending.value" @click="send"
        >Hand it in at these figures</NButton
      >
    </template>
    <p>
      <a :href="`/api/variants/${draft.variant_id}/brief.html`" target="_blank" rel="noopener">On one page, to be printed</a> ·
      <a :href="`/api/variants/${draft.variant_id}/brief.html`" download>as a file</a>
    </p>
    <FaultList v-if="problem" :faults="problem.faults" :title="problem.message" />
  </aside>
</template>

<style scoped>
.ask {
  display: grid;
  gap: 10px;
  align-content: start;
}
</style>
