<script setup lang="ts">
import { NButton, NCheckbox, NInput } from 'naive-ui'
import { computed, ref, toRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useBuildActions, useToDo, type ChangeLine, type Goal } from '../../../api/builds'
import { planId, type Bench, type Problem } from '../../../api/client'
import { doneWords, DOINGS, howLong, howLongBetween, partName, riskyTogether } from '../../../domain/build'
import { day, money, signedMoney } from '../../../domain/format'
import FaultList from '../../../ui/FaultList.vue'

/** What is to be done from what stands to the plan, what of it is risky first; the build works off the same list. */
const props = defineProps<{ bench: Bench; mayEdit: boolean }>()
const route = useRoute()
const router = useRouter()
const GOALS: Record<Goal, string> = {
  plan: 'To this plan',
  upgrade: 'One version up',
  replace: 'New nodes for all',
  nothing: 'Until nothing stands',
}
const goal = computed<Goal>(() => (String(route.query.goal ?? '') in GOALS ? (route.query.goal as Goal) : 'plan'))
const version = computed(() => String(route.query.version ?? ''))
/** Volumes go with a cluster only where it is said. */
const volumes = ref(false)
const removes = computed(() => goal.value === 'nothing')
const todo = useToDo(
  toRef(() => props.bench.variant.id),
  computed(() => planId(props.bench)),
  goal,
  computed(() => (goal.value === 'upgrade' ? version.value : '')),
  computed(() => removes.value && volumes.value),
)
const data = computed(() => todo.data.value)
const why = ref('')
const typed = ref('')
const { start } = useBuildActions()
const problem = computed(() => (start.error.value ?? todo.error.value) as Problem | null)
const FROM = {
  service: 'What stands is known from the provider that built it.',
  listing: 'What stands is known from the listing of the cluster that runs.',
  nothing: 'No cluster of this study is known: everything is new.',
} as const
const done = computed(() => data.value?.lines.filter((line) => line.do !== 'keep') ?? [])
const kept = computed(() => data.value?.lines.filter((line) => line.do === 'keep') ?? [])
const unsigned = computed(() => goal.value === 'plan' && !data.value?.signed)
const lacks = computed(() => !!data.value && (removes.value ? typed.value !== data.value.cluster : unsigned.value && !why.value.trim()))

function choose(next: Goal, to = ''): void {
  void router.replace({ query: { ...route.query, goal: next === 'plan' ? undefined : next, version: to || undefined } })
}
// The nearest version that may be gone to is taken where none is named.
watch([goal, () => data.value?.versions], ([now, versions]) => {
  const next = versions?.find((entry) => !entry.why_not) ?? versions?.[0]
  if (now === 'upgrade' && !version.value && next) choose('upgrade', next.version)
})
function begin(): void {
  if (!data.value) return
  start.mutate(
    {
      variant: props.bench.variant.id,
      digest: data.value.digest,
      why: why.value,
      goal: goal.value,
      version: goal.value === 'upgrade' ? version.value : '',
      typed: typed.value,
      volumes: removes.value && volumes.value,
    },
    { onSuccess: (made) => void router.push({ query: { show: 'build', of: String(made.id) } }) },
  )
}
const upper = (words: string) => words.charAt(0).toUpperCase() + words.slice(1)
const cost = (line: ChangeLine) => (Number(line.cost_per_month) ? signedMoney(line.cost_per_month) : '')
</script>

<template>
  <div class="changes">
    <section v-if="data" aria-label="what is to be done">
      <div class="goals" role="group" aria-label="what for">
        <button
          v-for="(title, name) in GOALS"
          :key="name"
          type="button"
          class="plain-button"
          :aria-pressed="goal === name"
          @click="choose(name)"
        >
          {{ title }}
        </button>
      </div>
      <p v-if="goal === 'upgrade'" class="versions">
        <template v-for="entry in data.versions" :key="entry.version">
          <button
            v-if="!entry.why_not"
            type="button"
            class="plain-button"
            :aria-pressed="version === entry.version"
            @click="choose('upgrade', entry.version)"
          >
            {{ entry.version }}<template v-if="entry.ends">, supported until {{ day(entry.ends) }}</template>
          </button>
          <span v-else class="quiet">{{ entry.version }}: {{ entry.why_not }}.</span>
        </template>
        <span v-if="!data.versions.length" class="quiet">Nobody knows which version runs, or the newest one does.</span>
      </p>
      <p class="sum">
        <strong>{{ upper(doneWords(data.lines)) }}</strong><template v-if="done.length">
          in {{ howLongBetween(data.expected.early_s, data.expected.late_s) }}; {{ Number(data.added_per_month) < 0 ? 'saves' : 'adds' }}
          {{ money(Math.abs(Number(data.added_per_month))) }} {{ data.currency }} a month of nodes</template
        >.
      </p>
      <p class="quiet">
        {{ FROM[data.known_from] }} <span v-if="data.trouble" class="amber">The provider did not say: {{ data.trouble }}</span>
        Times are what is usual, nine of ten builds end between them.
      </p>
      <div v-if="data.risky.length" class="risky" role="note" aria-label="risky, to be seen first">
        <h2>Risky, to be seen first</h2>
        <ul>
          <li v-for="entry in riskyTogether(data.risky)" :key="entry.words + entry.parts[0]">
            <strong>{{ entry.words }} {{ entry.parts.slice(0, 4).join(', ') }}</strong
            ><template v-if="entry.parts.length > 4"> and {{ entry.parts.length - 4 }} more</template>.
            <span class="madder">{{ entry.risk }}</span>
          </li>
        </ul>
      </div>
      <p v-if="data.drill">
        The drill of it on this plan <strong :class="{ madder: data.drill.mark === 'broken' }">{{ data.drill.mark }}</strong><template
          v-if="data.drill.whole_s"
          >, whole again after {{ howLong(data.drill.whole_s) }}</template
        ><template v-if="data.drill.reason">: {{ data.drill.reason }}</template>
      </p>
      <div v-if="data.goes_on.length">
        <h2>Goes on costing money</h2>
        <ul class="outside">
          <li v-for="own in data.goes_on" :key="own.what">
            <strong>{{ own.what }}: {{ money(own.per_month) }} {{ data.currency }} a month.</strong>
            <span class="quiet">{{ own.why }}.</span>
          </li>
        </ul>
      </div>
      <table v-if="done.length" class="list">
        <thead>
          <tr>
            <th></th>
            <th>part</th>
            <th>zone</th>
            <th>why</th>
            <th class="number">each takes</th>
            <th class="number">{{ data.currency }} a month</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="line in done" :key="line.key + line.do">
            <td class="mono mark" :title="DOINGS[line.do].word">{{ DOINGS[line.do].mark }}</td>
            <th scope="row">{{ partName(line) }}</th>
            <td>{{ line.zone }}</td>
            <td class="quiet">{{ line.reason }}</td>
            <td class="number">{{ howLong(line.median_s) }}</td>
            <td class="number">{{ cost(line) }}</td>
          </tr>
        </tbody>
      </table>
      <details v-if="kept.length">
        <summary>{{ doneWords(kept) }}</summary>
        <table class="list">
          <tbody>
            <tr v-for="line in kept" :key="line.key">
              <td class="mono mark">=</td>
              <th scope="row">{{ partName(line) }}</th>
              <td>{{ line.zone }}</td>
              <td class="quiet">{{ line.reason }}</td>
            </tr>
          </tbody>
        </table>
      </details>
    </section>
    <aside v-if="data" aria-label="begin">
      <FaultList v-if="data.hurdles.length" :faults="data.hurdles" title="First to be fixed" />
      <template v-else-if="mayEdit">
        <h2>{{ removes ? 'Take the cluster away' : goal === 'plan' ? 'Build it' : 'Do it' }}</h2>
        <NCheckbox v-if="removes" v-model:checked="volumes">its volumes too, with all that is kept in them</NCheckbox>
        <p v-if="removes" class="quiet">
          This cannot be undone. Type <strong>{{ data.cluster }}</strong> to take it away.
        </p>
        <p v-else-if="!unsigned" class="quiet">
          <template v-if="goal === 'plan'">The plan was signed by {{ data.signed }}. </template>The list is worked off as it stands here.
        </p>
        <p v-else class="amber">Nobody signed this plan. Say why it is built without, or hand it in first.</p>
        <NInput
          v-if="removes"
          v-model:value="typed"
          size="small"
          :placeholder="data.cluster"
          :input-props="{ 'aria-label': 'the name of the cluster' }"
        />
        <NInput
          v-else-if="unsigned"
          v-model:value="why"
          type="textarea"
          size="small"
          :maxlength="400"
          :autosize="{ minRows: 2, maxRows: 5 }"
          placeholder="why it is built before it is signed"
          :input-props="{ 'aria-label': 'why it is built before it is signed' }"
        />
        <NButton size="small" type="primary" :disabled="lacks" :loading="start.isPending.value" @click="begin">{{
          removes ? 'Take it away, in this order' : 'Begin, in this order'
        }}</NButton>
      </template>
      <p v-else class="quiet">You may look; who may change the study builds.</p>
      <FaultList v-if="problem" :faults="problem.faults ?? []" :title="problem.message" />
      <template v-if="data.drill?.steps.length">
        <h2>Outside of the build</h2>
        <ul class="outside">
          <li v-for="text in data.drill.steps" :key="text">{{ text }}</li>
        </ul>
        <p class="quiet">They are ticked beside the build once it has begun.</p>
      </template>
    </aside>
    <p v-else-if="todo.error.value" class="quiet none">{{ (todo.error.value as Problem).message }}</p>
    <p v-else class="quiet none">What stands is compared with the plan…</p>
  </div>
</template>

<style scoped>
.changes {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 300px;
  min-height: 0;
  height: 100%;
}
section {
  padding: 14px 20px;
  overflow: auto;
  display: grid;
  gap: 10px;
  align-content: start;
}
aside {
  padding: 16px 18px;
  border-left: 1px solid var(--line);
  display: grid;
  gap: 10px;
  align-content: start;
  overflow: auto;
}
.sum {
  font-size: 15px;
}
.risky {
  border-left: 3px solid var(--madder);
  padding-left: 12px;
}
.risky ul {
  margin: 4px 0 0;
  padding-left: 16px;
}
.list th[scope] {
  font-weight: 560;
  text-align: left;
  white-space: nowrap;
}
.mark {
  width: 18px;
  text-align: center;
}
.none {
  padding: 40px;
}
.goals,
.versions {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
  align-items: baseline;
}
.goals button,
.versions button {
  padding: 3px 10px;
  border: 1px solid var(--line);
}
.goals button[aria-pressed='true'],
.versions button[aria-pressed='true'] {
  border-color: var(--ink);
  background: var(--wash);
  font-weight: 600;
}
.outside {
  margin: 0;
  padding-left: 16px;
}
</style>
