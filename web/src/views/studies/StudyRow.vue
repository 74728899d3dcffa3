<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'
import type { ArrangeStudy, StudyLine } from '../../api/studies'
import { gapWords, money, plural } from '../../domain/format'
import { felt } from '../../domain/minutes'
import { survivalWords } from '../../domain/words'
import CostTrend from '../../pictures/trend/CostTrend.vue'
import DraftField from '../../ui/DraftField.vue'

/** A study in the list: what its reference costs and how well that is proved, what falls shortest, who touched it last. */
const props = defineProps<{ study: StudyLine; mayEdit: boolean }>()
const emit = defineEmits<{ tag: [tag: string]; arrange: [change: Partial<ArrangeStudy>, kept?: () => void]; remove: [] }>()
const opened = ref(false)
const reference = computed(() => (props.study.variants.find((entry) => entry.is_reference) ?? props.study.variants[0])?.id)
const signing = computed(
  () => [props.study.waiting ? '◇ waits' : '', props.study.signed ? '◆ signed' : ''].filter(Boolean).join(', ') || 'none',
)
const findings = computed(() => {
  const { blockers, warnings } = props.study
  if (blockers === null || warnings === null) return 'not looked at'
  const told = [blockers ? `▲ ${plural(blockers, 'blocker')}` : '', warnings ? `△ ${plural(warnings, 'warning')}` : '']
  return told.filter(Boolean).join(', ') || 'none'
})
const promises = computed(() => {
  const { survive_zone, lost_nodes } = props.study
  const zone = survive_zone === 'none' ? '' : `zone loss: ${survivalWords[survive_zone]}`
  return (
    [zone, lost_nodes ? (lost_nodes === 1 ? 'any node' : `any ${lost_nodes} nodes`) : ''].filter(Boolean).join(', ') || 'no loss promised'
  )
})
const short = computed(() => {
  const own = props.study.shortest
  if (!own) return null
  const left = own.allowed - own.minutes
  return { name: own.name, met: left >= 0, words: `${felt(Math.abs(left))} a month ${left >= 0 ? 'spare' : 'over'}` }
})
</script>

<template>
  <tr>
    <td>
      <RouterLink :to="`/bench/${reference}/fit`"
        ><strong>{{ study.name }}</strong></RouterLink
      >
      <span class="quiet under">
        {{ study.organisation }}
        <button
          v-for="tag in study.tags"
          :key="tag"
          type="button"
          class="plain-button tag"
          :title="`studies tagged ${tag}`"
          @click="emit('tag', tag)"
        >
          {{ tag }}
        </button>
      </span>
    </td>
    <td class="number">
      {{ study.cost_per_month === null ? '—' : `${money(study.cost_per_month)} ${study.currency}` }}
      <span v-if="study.cost_per_month !== null && !study.with_fees" class="quiet under">without fees</span>
      <CostTrend class="trend" :points="study.trend" :currency="study.currency" />
    </td>
    <td class="number">{{ study.gap === null ? '—' : gapWords(study.gap).replace(' above the floor', '') }}</td>
    <td>
      <template v-if="short">
        {{ short.name }}
        <span class="under" :class="short.met ? 'quiet' : 'madder'">{{ short.words }}</span>
      </template>
      <template v-else>—</template>
      <span class="under quiet" title="what the reference promises">{{ promises }}</span>
    </td>
    <td>
      <RouterLink :to="`/bench/${reference}/preflight`" :aria-label="`findings of ${study.name}`">{{ findings }}</RouterLink>
    </td>
    <td>
      <RouterLink :to="`/studies/${study.id}/sign-off`" :aria-label="`sign-off of ${study.name}`">{{ signing }}</RouterLink>
    </td>
    <td>
      <RouterLink :to="`/studies/${study.id}/variants`" :aria-label="`variants of ${study.name} beside each other`">{{
        study.variants.length === 1 ? 'one' : `${study.variants.length}, compare`
      }}</RouterLink>
    </td>
    <td class="number">{{ study.replicas }}</td>
    <td class="quiet">
      {{ new Date(study.touched_at).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', year: 'numeric' }) }}
      <span class="under">{{ study.touched_by }}</span>
    </td>
    <td class="last">
      <a :href="`/api/studies/${study.id}/file.json`" download :aria-label="`${study.name} as a file`">file</a>
      <button
        v-if="mayEdit"
        type="button"
        class="plain-button quiet"
        :aria-expanded="opened"
        :aria-label="`arrange ${study.name}`"
        @click="opened = !opened"
      >
        {{ opened ? 'close' : 'arrange' }}
      </button>
    </td>
  </tr>
  <tr v-if="opened">
    <td colspan="10">
      <div class="tools">
        <DraftField
          wide
          title="name"
          :name="`name of ${study.name}`"
          :value="study.name"
          may-edit
          @keep="(name, kept) => emit('arrange', { name }, kept)"
        />
        <DraftField
          wide
          title="tags, parted by commas"
          :name="`tags of ${study.name}`"
          :value="study.tags.join(', ')"
          may-edit
          @keep="(tags, kept) => emit('arrange', { tags: tags.split(',') }, kept)"
        />
        <RouterLink :to="`/studies/${study.id}/people`">of {{ study.owners.join(', ') }}</RouterLink>
        <NButton v-if="study.yours === 'owner'" size="tiny" @click="emit('arrange', { archived: !study.archived })">{{
          study.archived ? 'Bring it back' : 'Put it away'
        }}</NButton>
        <NButton v-if="study.yours === 'owner'" size="tiny" quaternary :aria-label="`Delete ${study.name}`" @click="emit('remove')"
          >Delete…</NButton
        >
      </div>
    </td>
  </tr>
</template>

<style scoped>
td {
  padding: 8px;
  vertical-align: top;
}
td a,
td button {
  display: inline-block;
  min-width: 24px;
  min-height: 24px;
}
.under {
  display: block;
  font-size: 12px;
}
.trend {
  margin-left: auto;
}
.tag {
  border: 1px solid var(--line);
  padding: 0 5px;
  margin-left: 5px;
  min-height: 24px;
}
.last {
  white-space: nowrap;
}
.last button {
  margin-left: 12px;
}
.tools {
  display: flex;
  flex-wrap: wrap;
  gap: 16px;
  align-items: center;
}
</style>
