<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import type { BenchActions } from '../../../api/bench'
import type { Bench } from '../../../api/client'
import { day, money, plural } from '../../../domain/format'

/** Says that a newer price list exists and what it would make of the present nodes. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const news = computed(() => props.bench.news)
const difference = computed(() => {
  if (!news.value?.cost_now || !news.value.cost_then) return ''
  const by = Number(news.value.cost_then) - Number(news.value.cost_now)
  return `the same nodes ${by >= 0 ? '+' : '−'}${money(Math.abs(by))} ${props.bench.study.currency} a month`
})
const gone = computed(() => news.value?.missing ?? [])
</script>

<template>
  <span v-if="news" class="news" role="status">
    <span
      ><strong>Newer list of {{ day(news.dated) }}</strong
      >, {{ plural(news.changes, 'change') }}<template v-if="gone.length">; no longer to be had: {{ gone.slice(0, 2).join(', ') }}</template
      ><template v-else-if="difference">; {{ difference }}</template></span
    >
    <NButton v-if="mayEdit && news.region_id" size="tiny" type="primary" @click="actions.change.mutate({ region_id: news.region_id })"
      >Use it</NButton
    >
    <span v-else-if="!news.region_id" class="madder">the region is gone from it</span>
  </span>
</template>

<style scoped>
.news {
  margin-left: auto;
  display: flex;
  gap: 10px;
  align-items: center;
  font-size: 12px;
  min-width: 0;
}
.news > span:first-child {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  max-width: 560px;
}
</style>
