<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import type { Problem } from '../../api/client'
import { useSay, type SignOff } from '../../api/signing'
import { day, plural } from '../../domain/format'
import FaultList from '../../ui/FaultList.vue'

/** What differs since a plan was handed in, what it changes, who said what of it; and signing, returning or taking it back. */
const props = defineProps<{ row: SignOff }>()
const words = ref('')
const say = useSay()
const problem = computed(() => say.error.value as Problem | null)
const signed = computed(() => props.row.signatures.filter((each) => each.signs).length)

function send(what: 'sign' | 'return' | 'withdraw'): void {
  // What was typed stays until it was taken.
  say.mutate({ id: props.row.id, what, words: words.value, digest: props.row.digest }, { onSuccess: () => (words.value = '') })
}
</script>

<template>
  <aside class="say" aria-label="what is said of it">
    <section>
      <h2>What differs since it was handed in</h2>
      <ul v-if="row.since.length" class="told">
        <li v-for="each in row.since" :key="each">{{ each }}</li>
      </ul>
      <p v-else class="quiet">Nothing: the variant is as it was.</p>
    </section>
    <section v-if="row.against">
      <h2>What it changes against {{ row.against }}</h2>
      <ul class="told">
        <li v-for="each in row.changes" :key="each">{{ each }}</li>
      </ul>
    </section>
    <section>
      <h2>Signatures</h2>
      <p class="quiet">
        {{
          row.state === 'waiting'
            ? `${signed} of ${plural(row.needed, 'lead')} signed`
            : row.needed > 1
              ? 'two leads were asked, by the house’s amount'
              : 'one lead was asked'
        }}
      </p>
      <p v-for="each in row.signatures" :key="each.by">
        <strong>{{ each.signs ? '◆ signed' : '◇ returned' }}</strong> by {{ each.by }}, {{ day(each.at) }}
        <span v-if="each.words" class="words">“{{ each.words }}”</span>
      </p>
      <template v-if="row.may_sign || row.may_withdraw">
        <NInput
          v-if="row.may_sign"
          v-model:value="words"
          type="textarea"
          size="small"
          :maxlength="1000"
          :autosize="{ minRows: 2, maxRows: 6 }"
          placeholder="what you say of it; a plan is returned with words"
          :input-props="{ 'aria-label': 'what you say of it' }"
        />
        <div class="ways">
          <template v-if="row.may_sign">
            <NButton size="small" type="primary" :loading="say.isPending.value" @click="send('sign')">Sign at these figures</NButton>
            <NButton size="small" :disabled="say.isPending.value" @click="send('return')">Return it</NButton>
          </template>
          <NButton v-if="row.may_withdraw" size="small" :loading="say.isPending.value" @click="send('withdraw')">Take it back</NButton>
        </div>
      </template>
      <p v-if="row.why_not && row.state === 'waiting'" class="quiet">{{ row.why_not }}</p>
      <FaultList v-if="problem" :faults="problem.faults" :title="problem.message" />
    </section>
    <p>
      <a :href="`/api/sign-offs/${row.id}/brief.html`" target="_blank" rel="noopener">On one page, to be printed</a> ·
      <a :href="`/api/sign-offs/${row.id}/brief.html`" download>as a file</a>
    </p>
    <p class="quiet" :title="row.digest">
      Fingerprint of the figures: <span class="mono">{{ row.digest.slice(0, 12) }}</span>
    </p>
  </aside>
</template>

<style scoped>
.say {
  display: grid;
  gap: 16px;
  align-content: start;
}
section {
  display: grid;
  gap: 6px;
}
.told {
  margin: 0;
  padding-left: 16px;
}
.words {
  display: block;
}
.ways {
  display: flex;
  gap: 10px;
}
</style>
