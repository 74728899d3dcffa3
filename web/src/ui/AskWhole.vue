<script setup lang="ts">
import { NButton } from 'naive-ui'
import { underWay, type Inquiry, type Problem } from '../api/client'
import type { useInquiry } from '../api/inquiries'
import FaultList from './FaultList.vue'
import InquiryLine from './InquiryLine.vue'

/** Asks a question that takes a while: the button, where the answer is out of date, how far it is, and why it could not be asked. */
defineProps<{
  /** The question with its ways to ask and stop. */
  inquiry: ReturnType<typeof useInquiry>
  /** Whether there is an answer to show. */
  answered: boolean
  mayAsk: boolean
  mayEdit: boolean
  first: string
  again: string
  doing: string
}>()
const now = (inquiry: ReturnType<typeof useInquiry>): Inquiry | null => inquiry.now.value
</script>

<template>
  <div class="head">
    <slot />
    <NButton
      v-if="mayEdit && mayAsk && !underWay(now(inquiry))"
      size="small"
      :type="answered ? 'default' : 'primary'"
      @click="inquiry.ask.mutate()"
      >{{ answered ? again : first }}</NButton
    >
    <span v-if="answered && !now(inquiry)?.is_current" class="quiet">answered before the last change</span>
  </div>
  <InquiryLine :inquiry="now(inquiry)" :may-edit="mayEdit" :doing="doing" @stop="inquiry.stop.mutate($event)" @ask="inquiry.ask.mutate()" />
  <FaultList
    v-if="inquiry.ask.error.value"
    :faults="(inquiry.ask.error.value as Problem).faults ?? []"
    :title="inquiry.ask.error.value.message"
  />
</template>

<style scoped>
.head {
  display: flex;
  gap: 12px;
  align-items: center;
}
</style>
