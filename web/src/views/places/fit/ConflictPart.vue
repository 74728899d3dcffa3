<script setup lang="ts">
import { computed, toRef } from 'vue'
import type { Bench } from '../../../api/client'
import { useInquiryOfFit } from '../../../api/inquiries'
import InquiryLine from '../../../ui/InquiryLine.vue'

/** Which promises and limits together leave no fit, and which of them could go alone. */
const props = defineProps<{ bench: Bench; mayEdit: boolean }>()
const inquiry = useInquiryOfFit(
  toRef(() => props.bench),
  'conflict',
  toRef(() => props.mayEdit),
)
const answer = computed(() => inquiry.own.value?.conflict ?? null)
</script>

<template>
  <section class="conflict">
    <h2>What stands against each other</h2>
    <InquiryLine
      :inquiry="inquiry.own.value"
      :may-edit="mayEdit"
      doing="leaving out one after the other:"
      @stop="inquiry.stop.mutate($event)"
      @ask="inquiry.ask.mutate()"
    />
    <template v-if="answer">
      <p v-if="!answer.rules.length">The demand finds no room on what is offered, whatever is promised.</p>
      <template v-else>
        <p>
          {{ answer.rules.length === 1 ? 'This alone leaves no fit:' : 'These together leave no fit; each of them is needed for that:' }}
        </p>
        <ul>
          <li v-for="rule in answer.rules" :key="rule">
            <strong>{{ rule }}</strong><span v-if="answer.to_drop.includes(rule)" class="petrol"> · without it there is a fit</span>
          </li>
        </ul>
        <p v-if="!answer.to_drop.length" class="quiet">Dropping one of them is not enough: there is another conflict beside this one.</p>
      </template>
      <p v-if="!answer.proved" class="quiet">The search found no answer to some of these; that is no proof that there is none.</p>
    </template>
  </section>
</template>

<style scoped>
.conflict {
  display: grid;
  gap: 8px;
}
ul {
  margin: 0;
  padding: 0;
  list-style: none;
}
li {
  padding: 4px 0;
  border-bottom: 1px solid var(--line);
}
.petrol {
  color: var(--petrol);
}
</style>
