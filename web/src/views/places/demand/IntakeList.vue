<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import { Problem, type Bench } from '../../../api/client'
import { useIntakes, type DemandActions, type Intake } from '../../../api/demand'
import IntakeCard from '../../../ui/IntakeCard.vue'
import FaultList from '../../../ui/FaultList.vue'

/** Requests of service owners: take one into the study, or answer it with a reason. */
const props = defineProps<{ bench: Bench; demand: DemandActions; mayEdit: boolean }>()
const found = useIntakes()
const own = computed(() => (found.data.value ?? []).filter((entry) => entry.study_id === props.bench.study.id))
const pending = computed(() => own.value.filter((entry) => entry.status === 'pending'))
const done = computed(() => own.value.filter((entry) => entry.status !== 'pending'))
const words = ref<Record<number, string>>({})
const error = computed(() => props.demand.decide.error.value as Problem | null)
function decide(entry: Intake, status: 'taken' | 'declined'): void {
  props.demand.decide.mutate({ id: entry.id, status, words: words.value[entry.id] ?? '' })
}
</script>

<template>
  <div class="intakes">
    <FaultList v-if="error" :title="error.message" :faults="error.faults" />
    <section aria-label="waiting requests">
      <h2>Waiting</h2>
      <p v-if="!pending.length" class="quiet">
        Nobody waits for an answer. Service owners hand requests in at their own desk, <RouterLink to="/intake">Intake</RouterLink>.
      </p>
      <IntakeCard v-for="entry in pending" :key="entry.id" :intake="entry">
        <div v-if="mayEdit" class="act">
          <NInput
            :value="words[entry.id] ?? ''"
            size="small"
            placeholder="words that go with it; needed to decline"
            :maxlength="1000"
            :input-props="{ 'aria-label': `answer to ${entry.name}` }"
            @update:value="words = { ...words, [entry.id]: $event }"
          />
          <NButton size="small" type="primary" :loading="demand.decide.isPending.value" @click="decide(entry, 'taken')"
            >Take into the study</NButton
          >
          <NButton size="small" :disabled="!words[entry.id]?.trim()" @click="decide(entry, 'declined')">Decline</NButton>
        </div>
      </IntakeCard>
    </section>
    <section v-if="done.length" aria-label="answered requests">
      <h2>Answered</h2>
      <IntakeCard v-for="entry in done" :key="entry.id" :intake="entry" />
    </section>
  </div>
</template>

<style scoped>
.intakes {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 26px;
  align-content: start;
  overflow: auto;
  padding-top: 12px;
  height: 100%;
}
section {
  display: grid;
  gap: 10px;
  align-content: start;
}
.act {
  display: flex;
  gap: 8px;
}
</style>
