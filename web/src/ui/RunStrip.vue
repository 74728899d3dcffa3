<script setup lang="ts">
import { queueWords } from '../domain/words'
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import type { Run } from '../api/client'
import { money } from '../domain/format'
import ShareBar from './ShareBar.vue'

/** A fit on its way: phase, share, best so far, and the way to stop it. */
const props = defineProps<{ run: Run; currency: string; mayEdit: boolean }>()
const emit = defineEmits<{ stop: [] }>()
const best = computed(() =>
  Number(props.run.cost_per_month) > 0 ? `best so far ${money(props.run.cost_per_month)} ${props.currency}` : 'no answer yet',
)
</script>

<template>
  <div class="run" role="status">
    <span class="phase">{{ run.status === 'queued' ? queueWords(run) : run.phase || 'starting' }}</span>
    <ShareBar :share="run.share" label="share of the fit done" />
    <span class="quiet">{{ best }}</span>
    <NButton v-if="mayEdit" size="tiny" :disabled="run.stop_requested" @click="emit('stop')">{{
      run.stop_requested ? 'stopping' : 'Stop and keep the best so far'
    }}</NButton>
  </div>
</template>

<style scoped>
.run {
  display: flex;
  align-items: center;
  gap: 12px;
  padding: 6px 14px;
  border-bottom: 1px solid var(--line);
  background: var(--wash);
}
.phase {
  font-weight: 600;
  min-width: 120px;
}
</style>
