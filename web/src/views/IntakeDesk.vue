<script setup lang="ts">
import { NButton, NInput, NRadio, NRadioGroup, useMessage } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { Problem } from '../api/client'
import { useIntakeDesk, useIntakes, useIntakeStudies } from '../api/demand'
import { useSignedIn } from '../composables/useSignedIn'
import { exactMoney } from '../domain/format'
import PersonMenu from '../ui/PersonMenu.vue'
import FaultList from '../ui/FaultList.vue'
import IntakeCard from '../ui/IntakeCard.vue'
import OneOf from '../ui/OneOf.vue'

/** A service owner's desk: say what is needed in a few words, see what it adds to the bill, hand it in, follow it. */
const message = useMessage()
const person = useSignedIn()
const mayAsk = computed(() => person.data.value?.role !== 'viewer')
const studies = useIntakeStudies()
const found = useIntakes()
const desk = useIntakeDesk()
const own = computed(() => (found.data.value ?? []).filter((entry) => entry.mine))
const study = ref<number | null>(null)
watch(studies.data, (rows) => (study.value ??= rows?.[0]?.id ?? null), { immediate: true })
const typed = ref<Record<string, string>>({ importance: 'normal' })
const note = ref('')
const outlook = computed(() => desk.preview.data.value)
const error = computed(() => (desk.preview.error.value ?? desk.handIn.error.value) as Problem | null)
watch([typed, study], () => (desk.preview.reset(), desk.handIn.reset()), { deep: true })

const fields = [
  ['namespace', 'area', 'bookings'],
  ['name', 'service', 'gift-cards'],
  ['owner', 'team that answers for it', 'Bookings'],
  ['peak_rate', 'requests a second at the peak', '120'],
  ['usual_rate', 'usually', '45'],
  ['per_replica', 'one replica bears, a second', 'leave empty if nobody knows'],
  ['replicas', 'or replicas', ''],
  ['cpu', 'CPU of a replica', 'if known: 250m'],
  ['memory', 'memory of a replica', 'if known: 512 MiB'],
  ['until', 'needed until', '2027-03-31, empty: for good'],
] as const

function fault(field: string): string | undefined {
  const entry = error.value?.faults.find((one) => one.path === field)
  return entry ? `${entry.reason} ${entry.fix}` : undefined
}
function look(): void {
  if (study.value) desk.preview.mutate({ study_id: study.value, typed: typed.value, note: note.value })
}
function handIn(): void {
  if (!study.value) return
  desk.handIn.mutate(
    { study_id: study.value, typed: typed.value, note: note.value },
    {
      onSuccess: () => {
        message.success('Handed in; a planner answers here.')
        typed.value = { importance: 'normal' }
        note.value = ''
      },
    },
  )
}
</script>

<template>
  <main class="desk">
    <header>
      <h1>Ask for capacity</h1>
      <span class="grow" /><PersonMenu />
    </header>
    <div class="body">
      <p v-if="!mayAsk" class="quiet">You may read the studies; capacity is asked for by service owners and planners.</p>
      <section v-else class="form" aria-label="request">
        <label class="field"
          >for the plan
          <OneOf
            v-model:value="study"
            size="small"
            :options="(studies.data.value ?? []).map((row) => ({ value: row.id, label: row.name }))"
            name="for the plan"
        /></label>
        <div class="grid">
          <label v-for="[field, title, hint] in fields" :key="field" class="field" :class="{ wrong: fault(field) }"
            >{{ title
            }}<NInput
              :value="typed[field] ?? ''"
              size="small"
              :placeholder="hint"
              :input-props="{ 'aria-label': title }"
              @update:value="typed = { ...typed, [field]: $event }"
            /><span v-if="fault(field)" class="madder">{{ fault(field) }}</span></label
          >
        </div>
        <NRadioGroup :value="typed.importance" name="importance" @update:value="typed = { ...typed, importance: $event }"
          ><NRadio value="vital">vital</NRadio><NRadio value="normal">normal</NRadio
          ><NRadio value="can wait">can wait: need not survive the loss of a zone</NRadio></NRadioGroup
        >
        <label class="field"
          >what for<NInput
            v-model:value="note"
            type="textarea"
            placeholder="what it does, and for whom"
            :rows="2"
            :maxlength="1000"
            :input-props="{ 'aria-label': 'what for' }"
        /></label>
        <FaultList
          v-if="error"
          :title="error.message"
          :faults="error.faults.filter((entry) => !fields.some(([field]) => field === entry.path))"
        />
        <div class="act">
          <NButton :loading="desk.preview.isPending.value" @click="look">What would it cost?</NButton
          ><NButton type="primary" :loading="desk.handIn.isPending.value" @click="handIn">Hand in</NButton>
        </div>
        <section v-if="outlook" class="outlook cut" aria-label="what it would cost">
          <p v-if="outlook.reasons.length" class="madder">{{ outlook.reasons.join(' ') }}</p>
          <template v-else>
            <p class="big">
              {{ exactMoney(outlook.cost_per_month) }} <small>{{ outlook.currency }} a month more</small>
            </p>
            <p>
              {{
                Number(outlook.promise_per_month) > 0
                  ? `${exactMoney(outlook.promise_per_month)} of it for its promise to survive the loss of a zone.`
                  : 'Its promise costs nothing more.'
              }}
            </p>
          </template>
          <p>{{ outlook.replicas.trough }} to {{ outlook.replicas.peak }} replicas of {{ outlook.request }}.</p>
          <p class="quiet">
            House rules filled in: {{ outlook.filled.join('; ') }}. The price is what the floor of the plan rises by at today’s list.
          </p>
        </section>
      </section>
      <section class="mine" aria-label="my requests">
        <h2>My requests</h2>
        <p v-if="!own.length" class="quiet">None yet. What you hand in stands here, with its answer.</p>
        <IntakeCard v-for="entry in own" :key="entry.id" :intake="entry"
          ><div v-if="entry.status === 'pending'">
            <NButton size="tiny" @click="desk.withdraw.mutate(entry.id)">Withdraw</NButton>
          </div></IntakeCard
        >
      </section>
    </div>
  </main>
</template>

<style scoped>
.desk {
  height: 100vh;
  display: grid;
  grid-template-rows: auto 1fr;
  min-width: 900px;
}
header {
  display: flex;
  gap: 16px;
  align-items: baseline;
  padding: 14px 28px;
  border-bottom: 1px solid var(--line);
}
.grow {
  flex: 1;
}
.body {
  display: grid;
  grid-template-columns: 1fr 1fr;
  min-height: 0;
}
.form,
.mine {
  overflow: auto;
  padding: 18px 28px;
  display: grid;
  gap: 12px;
  align-content: start;
}
.mine {
  border-left: 1px solid var(--line);
}
.grid {
  display: grid;
  grid-template-columns: 1fr 1fr 1fr;
  gap: 10px 18px;
}
.field {
  display: grid;
  gap: 2px;
  font-size: 12px;
  color: var(--quiet);
}
.act {
  display: flex;
  gap: 10px;
}
.outlook {
  padding: 12px 16px;
  display: grid;
  gap: 5px;
}
.big {
  font-size: 22px;
  font-weight: 640;
  font-variant-numeric: tabular-nums;
}
small {
  font-size: 12px;
  font-weight: 400;
  color: var(--quiet);
}
</style>
