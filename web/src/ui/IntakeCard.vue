<script setup lang="ts">
import type { Intake } from '../api/demand'
import { day, exactMoney } from '../domain/format'

/** A request for capacity: what is asked, what it would add to the bill, what became of it. */
defineProps<{ intake: Intake }>()
const words = { pending: 'waits', taken: 'taken into the study', declined: 'declined', withdrawn: 'withdrawn' }
</script>

<template>
  <article class="card cut" :aria-label="`request ${intake.name}`">
    <header>
      <h3 class="name">{{ intake.name }}</h3>
      <span :class="{ madder: intake.status === 'declined' }">{{ words[intake.status] }}</span>
    </header>
    <p>
      {{ intake.outlook.replicas.usual }} to {{ intake.outlook.replicas.peak }} replicas of {{ intake.outlook.request }};
      {{ intake.form.importance }}<template v-if="intake.form.until">, until {{ day(intake.form.until) }}</template
      >. Owner {{ intake.form.owner }}.
    </p>
    <p v-if="intake.outlook.reasons.length" class="madder">{{ intake.outlook.reasons.join(' ') }}</p>
    <p v-else>
      Adds <strong>{{ exactMoney(intake.outlook.cost_per_month) }} {{ intake.outlook.currency }}</strong> a month<template
        v-if="Number(intake.outlook.promise_per_month) > 0"
        >, {{ exactMoney(intake.outlook.promise_per_month) }} of it for its promise</template
      >; at the marginal price of the day it was asked.
    </p>
    <p v-if="intake.outlook.filled.length" class="quiet">House rules filled in: {{ intake.outlook.filled.join('; ') }}.</p>
    <ol>
      <li v-for="(step, place) in intake.steps" :key="place">
        <span class="quiet">{{ day(step.at) }}, {{ step.who }}:</span> {{ step.status === 'pending' ? 'asked' : step.status
        }}<template v-if="step.words">: “{{ step.words }}”</template>
      </li>
    </ol>
    <slot />
  </article>
</template>

<style scoped>
.card {
  padding: 10px 14px;
  display: grid;
  gap: 5px;
  font-size: 12.5px;
}
header {
  display: flex;
  justify-content: space-between;
  padding-right: 10px;
}
.name {
  color: var(--ink);
  font-size: 14px;
  font-weight: 640;
}
ol {
  margin: 0;
  padding-left: 16px;
}
</style>
