<script setup lang="ts">
import { computed, toRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { BenchActions } from '../../api/bench'
import type { Bench, Problem } from '../../api/client'
import { useAcceptance, type Finding } from '../../api/preflight'
import { useSignedIn } from '../../composables/useSignedIn'
import { plural } from '../../domain/format'
import { findingWords } from '../../domain/words'
import FaultList from '../../ui/FaultList.vue'
import OneOf from '../../ui/OneOf.vue'
import BuildForm from './preflight/BuildForm.vue'
import FindingRow from './preflight/FindingRow.vue'
import PrerequisiteTable from './preflight/PrerequisiteTable.vue'

/** Everything that would fail, is risky or is good to know, by when it would have struck; the address carries what is shown. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const route = useRoute()
const router = useRouter()
const TIMES = ['at minute 0', 'while nodes join', 'while it runs', 'on the first upgrade', 'on the day a zone is lost']
const SHOWN = [
  { value: 'open', label: 'what is open' },
  { value: 'stop', label: 'blockers alone' },
  { value: 'all', label: 'what is accepted too' },
]
const shown = computed(() => SHOWN.find((entry) => entry.value === route.query.findings)?.value ?? 'open')
const { accept, reopen } = useAcceptance(toRef(() => props.bench.variant.id))
const error = computed(() => (accept.error.value ?? reopen.error.value) as Problem | null)
const visible = computed(() =>
  props.bench.findings.filter((each) => (shown.value === 'all' ? true : shown.value === 'stop' ? each.level === 'stop' : !each.accepted)),
)
const groups = computed(() =>
  TIMES.map((when) => ({ when, findings: visible.value.filter((each) => each.when === when) })).filter((group) => group.findings.length),
)
const open = computed(() => props.bench.findings.filter((each) => !each.accepted))
const counts = computed(() =>
  (['stop', 'care', 'note'] as const)
    .map((level) => [open.value.filter((each) => each.level === level).length, findingWords[level]] as const)
    .filter(([count]) => count)
    .map(([count, word]) => plural(count, word))
    .join(', '),
)
const accepted = computed(() => props.bench.findings.length - open.value.length)

const person = useSignedIn()
/** By the house rules. */
function mayAccept(finding: Finding): boolean {
  if (!props.mayEdit || finding.accepted_by === 'nobody') return false
  return finding.accepted_by === 'planner' || person.data.value?.role === 'lead'
}

/** Make the edit that mends a finding; like any edit it is undone with Ctrl+Z, and the plan is fitted again. */
function mend(finding: Finding): void {
  if (!finding.mend) return
  const { cells, control_plane_members } = finding.mend
  if (control_plane_members) props.actions.change.mutate({ control_plane_members })
  else props.actions.edit.mutate({ cells, removed: [], copies: {}, after: {} })
}
/** Where it is looked at: the first row that it names, or its place. */
function linkOf(finding: Finding): string {
  const names: string[] = finding.text.match(/[\w.-]+\/[\w.-]+/g) ?? []
  const row = finding.place === 'demand' && props.bench.workloads.find((each) => names.includes(`${each.namespace}/${each.name}`))
  return `/bench/${props.bench.variant.id}/${row ? `demand?row=${row.key}` : finding.place}`
}
</script>

<template>
  <div class="place">
    <aside tabindex="0" aria-label="the build">
      <BuildForm :bench="bench" :actions="actions" :may-edit="mayEdit" />
    </aside>
    <section class="preflight">
      <div class="tools">
        <h2>{{ counts ? `${counts} before anything is built` : 'Nothing that is known would fail' }}</h2>
        <OneOf
          size="tiny"
          class="pick"
          name="which findings"
          :value="shown"
          :options="SHOWN"
          @update:value="router.replace({ query: { ...route.query, findings: $event === 'open' ? undefined : $event } })"
        />
        <span v-if="accepted" class="quiet">{{ accepted }} accepted</span>
      </div>
      <FaultList v-if="error" :faults="error.faults ?? []" :title="error.message" />
      <p v-if="!bench.fit" class="quiet">There is no plan yet: rules that look at one are silent.</p>
      <section v-for="group in groups" :key="group.when" :aria-label="group.when">
        <h3>{{ group.when }}</h3>
        <ul>
          <FindingRow
            v-for="finding in group.findings"
            :key="`${finding.code} ${finding.text}`"
            :finding="finding"
            :to="linkOf(finding)"
            :may-edit="mayEdit"
            :may-accept="mayAccept(finding)"
            @accept="accept.mutate({ code: finding.code, text: finding.text, why: $event })"
            @mend="mend(finding)"
            @reopen="reopen.mutate({ code: finding.code, text: finding.text })"
          />
        </ul>
      </section>
      <p v-if="!groups.length" class="quiet">
        {{ shown === 'open' && accepted ? 'All that was found is accepted.' : 'There is nothing of the kind.' }}
      </p>
      <PrerequisiteTable :bench="bench" :actions="actions" :may-edit="mayEdit" />
    </section>
  </div>
</template>

<style scoped>
.place {
  display: grid;
  grid-template-columns: minmax(300px, 430px) minmax(0, 1fr);
  height: 100%;
}
aside {
  overflow: auto;
  padding: 12px 14px;
  border-right: 1px solid var(--line);
}
.preflight {
  overflow: auto;
  padding: 14px 20px;
  display: grid;
  gap: 14px;
  align-content: start;
  font-size: 12px;
}
.tools {
  display: flex;
  gap: 16px;
  align-items: center;
}
.pick {
  width: 170px;
}
h3 {
  font-weight: 650;
  color: var(--ink);
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
</style>
