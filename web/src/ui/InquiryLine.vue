<script setup lang="ts">
import { NButton } from 'naive-ui'
import { underWay, type Inquiry } from '../api/client'
import { queueWords } from '../domain/words'
import ShareBar from './ShareBar.vue'

/** How far an answer is, in one line: share, part and the way to stop; or why there is none, and the way to ask again. */
defineProps<{ inquiry: Inquiry | null; mayEdit: boolean; doing: string }>()
const emit = defineEmits<{ stop: [id: number]; ask: [] }>()
</script>

<template>
  <div v-if="inquiry && underWay(inquiry)" class="line" role="status">
    <ShareBar :share="inquiry.share" label="share of the answer known" />
    <span class="quiet">{{
      inquiry.status === 'queued' ? queueWords(inquiry) : inquiry.phase ? `${doing} ${inquiry.phase}` : 'begins'
    }}</span>
    <NButton v-if="mayEdit" size="tiny" quaternary :disabled="inquiry.stop_requested" @click="emit('stop', inquiry.id)">stop</NButton>
  </div>
  <p v-else-if="inquiry?.status === 'failed'" class="madder" role="alert">
    {{ inquiry.message }} <NButton v-if="mayEdit" size="tiny" @click="emit('ask')">Ask again</NButton>
  </p>
  <p v-else-if="inquiry?.stop_requested" class="quiet">
    {{ inquiry.message || 'Stopped before all was known.' }} <NButton v-if="mayEdit" size="tiny" @click="emit('ask')">Ask again</NButton>
  </p>
</template>

<style scoped>
.line {
  display: flex;
  align-items: center;
  gap: 8px;
  font-size: 12px;
  padding: 3px 0;
}
.line span {
  white-space: nowrap;
}
p {
  padding-top: 4px;
  font-size: 12px;
}
</style>
