<script setup lang="ts">
import { NCheckbox } from 'naive-ui'
import { computed, ref } from 'vue'
import type { BenchActions } from '../../../api/bench'
import type { Bench, Problem } from '../../../api/client'
import type { StatedBuild } from '../../../api/preflight'
import FaultList from '../../../ui/FaultList.vue'

/** What is known of the build before it begins; what is typed stays while answers come, and where it is refused. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
type Typed = 'cluster' | 'version_now' | 'version_to' | 'version_nodes' | 'version_ends' | 'way_in'
const FIELDS: [Typed, string, string][] = [
  ['cluster', 'name of the cluster', 'mareel-summer'],
  ['version_now', 'control plane today', '1.30'],
  ['version_to', 'version aimed at', '1.31'],
  ['version_nodes', 'oldest nodes today', '1.29'],
  ['version_ends', 'mended until', '2028-02-28'],
]
const stated = computed<StatedBuild>(() => props.bench.variant.build)
const typed = ref<Partial<Record<Typed | 'matches', string>>>({})
const wrong = ref('')
const error = computed(() => props.actions.change.error.value as Problem | null)
const faults = computed(() => (error.value?.faults ?? []).filter((fault) => fault.path.startsWith('build.')))
const refused = (field: Typed) => faults.value.some((fault) => fault.path === `build.${field}`)
const matches = computed(() => (stated.value.matches ?? []).map((each) => `${each.what}: ${each.one} = ${each.other}`).join('\n'))

function keep(change: Partial<StatedBuild>, then?: () => void): void {
  props.actions.change.mutate({ build: change as StatedBuild }, { onSuccess: then })
}
function set(field: Typed, text: string): void {
  keep({ [field]: text.trim() }, () => delete typed.value[field])
}
function setMatches(text: string): void {
  const lines = text.split('\n').filter((line) => line.trim())
  const read = lines.map((line) => /^([^:]+):(.*?)=(.*)$/.exec(line))
  const bad = lines.find((_, place) => !read[place])
  wrong.value = bad ? `“${bad}”: write what: one = other.` : ''
  if (bad) return
  const found = read.map((parts) => ({ what: (parts?.[1] ?? '').trim(), one: (parts?.[2] ?? '').trim(), other: (parts?.[3] ?? '').trim() }))
  keep({ matches: found }, () => delete typed.value.matches)
}
</script>

<template>
  <section aria-label="what is known of the build">
    <h2>The build</h2>
    <label v-for="[field, name, example] in FIELDS" :key="field" class="line">
      <span>{{ name }}</span>
      <input
        :value="typed[field] ?? stated[field]"
        :placeholder="example"
        :readonly="!mayEdit"
        :aria-label="name"
        :aria-invalid="refused(field)"
        @input="typed[field] = ($event.target as HTMLInputElement).value"
        @change="set(field, ($event.target as HTMLInputElement).value)"
      />
    </label>
    <NCheckbox :checked="stated.private_api" :disabled="!mayEdit" @update:checked="keep({ private_api: $event })"
      >the API has a private address alone</NCheckbox
    >
    <label v-if="stated.private_api" class="line">
      <span>way in</span>
      <input
        :value="typed.way_in ?? stated.way_in"
        placeholder="jump host"
        :readonly="!mayEdit"
        aria-label="way in"
        @input="typed.way_in = ($event.target as HTMLInputElement).value"
        @change="set('way_in', ($event.target as HTMLInputElement).value)"
      />
    </label>
    <h3>Must be equal in two places</h3>
    <textarea
      :value="typed.matches ?? matches"
      rows="3"
      spellcheck="false"
      aria-label="what must be equal in two places"
      placeholder="domain: tickets.example = tickets.example"
      :readonly="!mayEdit"
      @input="typed.matches = ($event.target as HTMLTextAreaElement).value"
      @change="setMatches(($event.target as HTMLTextAreaElement).value)"
    />
    <p v-if="wrong" class="madder">{{ wrong }}</p>
    <FaultList v-if="faults.length" :faults="faults" :title="error?.message ?? ''" />
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 5px;
  font-size: 12px;
}
.line {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  padding: 3px 0;
  border-bottom: 1px solid var(--line);
}
input {
  width: 130px;
  font: inherit;
  color: inherit;
  background: transparent;
  border: 0;
  border-bottom: 1px solid var(--line);
  text-align: right;
}
input[aria-invalid='true'] {
  color: var(--madder);
  border-color: var(--madder);
}
textarea {
  width: 100%;
  font-family: 'JetBrains Mono Variable', monospace;
  font-size: 11px;
  color: inherit;
  background: transparent;
  border: 1px solid var(--line);
}
</style>
