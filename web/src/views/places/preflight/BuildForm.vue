<script setup lang="ts">
import { NCheckbox } from 'naive-ui'
import { computed } from 'vue'
import type { BenchActions } from '../../../api/bench'
import type { Bench, Problem } from '../../../api/client'
import type { StatedBuild } from '../../../api/preflight'
import type { Cells } from '../../../domain/cells'
import CellTable from '../../../ui/CellTable.vue'
import DraftField from '../../../ui/DraftField.vue'
import FaultList from '../../../ui/FaultList.vue'

/** What is known of the build before it begins. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
type Field = 'cluster' | 'domain' | 'version_now' | 'version_to' | 'version_nodes' | 'version_ends' | 'way_in'
const FIELDS: [Field, string, string][] = [
  ['cluster', 'name of the cluster', 'mareel-summer'],
  ['domain', 'domain of its API', 'plan.example'],
  ['version_now', 'control plane today', '1.30'],
  ['version_to', 'version aimed at', '1.31'],
  ['version_nodes', 'oldest nodes today', '1.29'],
]
const MATCH = [
  { name: 'what', title: 'what', width: '0.8fr' },
  { name: 'one', title: 'here', width: '1fr', optional: true },
  { name: 'other', title: 'there', width: '1fr', optional: true },
]
const NEEDED = [
  { name: 'what', title: 'what', width: '1fr' },
  { name: 'zones', title: 'zones that have it', width: '1.2fr', optional: true, empty: 'all' },
]
const ACCESS = [
  { name: 'who', title: 'who', width: '1.2fr' },
  { name: 'may', title: 'may', width: '0.7fr', optional: true, empty: 'look' },
  { name: 'namespace', title: 'namespace', width: '1fr', optional: true, empty: 'all' },
  { name: 'until', title: 'until', width: '0.9fr', optional: true },
]
const stated = computed<StatedBuild>(() => props.bench.variant.build)
const asks = computed(() => props.bench.provider_asks)
const error = computed(() => props.actions.change.error.value as Problem | null)
const faults = computed(() => (error.value?.faults ?? []).filter((fault) => fault.path.startsWith('build.')))
const refused = (path: string) => faults.value.some((fault) => fault.path === `build.${path}`)
const matches = computed(() => (stated.value.matches ?? []).map(({ what, one, other }) => ({ what, one: one ?? '', other: other ?? '' })))
const needed = computed(() => (stated.value.needed ?? []).map(({ what, zones }) => ({ what, zones: (zones ?? []).join(', ') })))
const access = computed(() =>
  (stated.value.access ?? []).map(({ who, may, namespace, until }) => ({
    who,
    may: may ?? '',
    namespace: namespace ?? '',
    until: until ?? '',
  })),
)
/** When the version aimed at ends by the price list, where nobody states another day. */
const listed = computed(() => asks.value.versions.find((each) => each.version === stated.value.version_to)?.ends ?? '')
const form = computed(() =>
  [
    asks.value.name_prefix && `begins with ${asks.value.name_prefix}`,
    asks.value.longest_name && `has ${asks.value.longest_name} characters at most`,
  ]
    .filter(Boolean)
    .join(' and '),
)

function keep(change: Partial<StatedBuild>, kept?: () => void): void {
  props.actions.change.mutate({ build: change as StatedBuild }, { onSuccess: kept })
}
function setNeeded(rows: Cells[], kept: () => void): void {
  const read = rows.map((row) => ({ what: row.what ?? '', zones: (row.zones ?? '').split(/[\s,;]+/).filter(Boolean) }))
  keep({ needed: read }, kept)
}
function setAccess(rows: Cells[], kept: () => void): void {
  const read = rows.map((row) => ({ ...row, may: (row.may ?? '').trim() || 'look' }))
  keep({ access: read as unknown as StatedBuild['access'] }, kept)
}
</script>

<template>
  <section aria-label="what is known of the build">
    <h2>The build</h2>
    <DraftField
      v-for="[field, name, example] in FIELDS"
      :key="field"
      wide
      :title="name"
      :value="stated[field] ?? ''"
      :placeholder="example"
      :may-edit="mayEdit"
      :wrong="refused(field)"
      @keep="(text, kept) => keep({ [field]: text }, kept)"
    />
    <DraftField
      wide
      title="supported until"
      :value="stated.version_ends ?? ''"
      :placeholder="listed || '2028-02-28'"
      :may-edit="mayEdit"
      :wrong="refused('version_ends')"
      @keep="(text, kept) => keep({ version_ends: text }, kept)"
    />
    <p v-if="form" class="quiet">By the price list a cluster’s name {{ form }}.</p>
    <p v-if="asks.versions.length" class="quiet">
      Sold are {{ asks.versions.map((each) => each.version).join(', ')
      }}{{ listed ? `; ${stated.version_to} is supported until ${listed}` : '' }}.
    </p>
    <NCheckbox :checked="stated.private_api" :disabled="!mayEdit" @update:checked="keep({ private_api: $event })"
      >the API has a private address alone</NCheckbox
    >
    <DraftField
      v-if="stated.private_api"
      wide
      title="way in"
      :value="stated.way_in ?? ''"
      placeholder="jump host"
      :may-edit="mayEdit"
      @keep="(text, kept) => keep({ way_in: text }, kept)"
    />
    <h3>Must be equal in two places</h3>
    <CellTable
      name="what must be equal in two places"
      :columns="MATCH"
      :rows="matches"
      :may-edit="mayEdit"
      :wrong="(row, column) => refused(`matches.${row}.${column}`)"
      @keep="(rows, kept) => keep({ matches: rows as unknown as StatedBuild['matches'] }, kept)"
    />
    <h3>Nodes fetch while they join</h3>
    <CellTable
      name="what nodes fetch"
      :columns="NEEDED"
      :rows="needed"
      :may-edit="mayEdit"
      :wrong="(row, column) => refused(`needed.${row}.${column}`)"
      @keep="setNeeded"
    />
    <h3>Who may do what</h3>
    <p class="quiet">People with an @, or groups; they may look, change or own.</p>
    <CellTable
      name="who may do what"
      :columns="ACCESS"
      :rows="access"
      :may-edit="mayEdit"
      :wrong="(row, column) => refused(`access.${row}.${column}`)"
      @keep="setAccess"
    />
    <FaultList v-if="faults.length" :faults="faults" :title="error?.message ?? ''" />
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 5px;
  font-size: 12px;
}
</style>
