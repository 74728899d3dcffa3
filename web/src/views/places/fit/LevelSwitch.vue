<script setup lang="ts">
import { NButton } from 'naive-ui'
import { underWay, type Design, type Inquiry } from '../../../api/client'
import { levelNames, type LevelName } from '../../../api/demand'
import { money } from '../../../domain/format'
import InquiryLine from '../../../ui/InquiryLine.vue'

/** Chooses which level's nodes the lanes show; asks for the design of all levels where there is none yet. */
defineProps<{ inquiry: Inquiry | null; design: Design | null; shown: LevelName | null; mayEdit: boolean; currency: string }>()
const emit = defineEmits<{ show: [level: LevelName | null]; ask: []; stop: [id: number] }>()
</script>

<template>
  <div class="switch" role="group" aria-label="level that the lanes show">
    <template v-if="design?.levels.length">
      <button
        type="button"
        class="plain-button"
        :class="{ now: shown === null }"
        :aria-pressed="shown === null"
        @click="emit('show', null)"
      >
        this fit
      </button>
      <button
        v-for="entry in design.levels"
        :key="entry.level"
        type="button"
        class="plain-button"
        :class="{ now: shown === entry.level }"
        :aria-pressed="shown === entry.level"
        :title="`${entry.nodes} nodes, ${money(entry.cost)} ${currency} if it lasted the month`"
        @click="emit('show', entry.level)"
      >
        {{ levelNames[entry.level] }} <small>{{ entry.nodes }}</small>
      </button>
    </template>
    <InquiryLine
      v-if="underWay(inquiry) || inquiry?.status === 'failed'"
      :inquiry="inquiry"
      :may-edit="mayEdit"
      doing="fitting"
      @stop="emit('stop', $event)"
      @ask="emit('ask')"
    />
    <NButton v-else-if="mayEdit && (!design || !inquiry?.is_current)" size="tiny" @click="emit('ask')">{{
      design ? 'Levels again' : 'Fit all levels'
    }}</NButton>
  </div>
</template>

<style scoped>
.switch {
  display: flex;
  gap: 10px;
  align-items: baseline;
  font-size: 12.5px;
  margin-left: auto;
}
.now {
  font-weight: 650;
  box-shadow: 0 2px 0 var(--madder);
}
small {
  color: var(--quiet);
  font-variant-numeric: tabular-nums;
}
</style>
