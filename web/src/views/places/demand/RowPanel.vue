<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, ref, toRef, watch } from 'vue'
import { useWorkload } from '../../../api/demand'
import type { Fault } from '../../../api/client'

/** Everything known of one workload: what follows from it, its containers, and the fields that the sheet has no room for. */
const props = defineProps<{ variant: number; chosen: string; mayEdit: boolean; faults: Fault[] }>()
const emit = defineEmits<{
  edit: [cells: Record<string, Record<string, string>>]
  copies: [key: string, names: string[]]
  giveBack: [key: string]
  close: []
}>()
const detail = useWorkload(toRef(props, 'variant'), toRef(props, 'chosen'))
const row = computed(() => detail.data.value)
const names = ref('')
/** What was typed and is not stored yet, or was refused: the row may be asked for again meanwhile. */
const kept = ref<Record<string, string>>({})
watch(
  () => props.chosen,
  () => ((names.value = ''), (kept.value = {})),
)
watch(
  () => row.value?.cells,
  (now, before) => {
    kept.value = Object.fromEntries(Object.entries(kept.value).filter(([field]) => (now?.[field] ?? '') === (before?.[field] ?? '')))
  },
)

const sections: { title: string; fields: [string, string, string][] }[] = [
  {
    title: 'Replicas follow',
    fields: [
      ['basis', 'from', 'fixed, range, rate, queue or usage'],
      ['least', 'min', ''],
      ['most', 'max', ''],
      ['target', 'target %', ''],
      ['trough_load', 'load at trough', 'a second, or millicores busy'],
      ['usual_load', 'at usual', ''],
      ['peak_load', 'at peak', ''],
      ['per_replica', 'one bears', 'a second'],
      ['service_s', 'service s', ''],
      ['wait_s', 'longest wait s', ''],
      ['late_percent', 'may wait longer %', ''],
      ['growth', 'growth %', 'empty: the study’s'],
      ['runs_at', 'runs at', 'trough;usual;peak'],
    ],
  },
  {
    title: 'State',
    fields: [
      ['partitions', 'partitions', ''],
      ['copies', 'copies', ''],
      ['data', 'data of a copy', '900Gi'],
      ['resync', 'resync a second', '120Mi'],
      ['volumes', 'volumes', 'data=200Gi;log=20Gi'],
      ['traffic', 'sends a month', 'out=120Gi;inside=40Gi;namespace/name=1.5Ti'],
      ['resources', 'also asks for', 'accelerators=1;local_disk_bytes=20Gi'],
    ],
  },
  {
    title: 'Manners',
    fields: [
      ['min_available', 'min available', '2 or 50%'],
      ['max_unavailable', 'max unavailable', '1 or 25%'],
      ['serving', 'must serve', '4 or 60%'],
      ['start_up_s', 'start-up s', ''],
      ['priority', 'priority', ''],
      ['tolerations', 'tolerates', 'key=value:Effect'],
      ['service', 'instance of', ''],
      ['together', 'shares nodes', 'name of the group'],
      ['apart', 'never beside', 'namespace/name;namespace/name'],
      ['node_skew', 'node skew', 'max apart over its nodes'],
      ['zone_skew_wish', 'wished zone skew', 'kept where it costs nothing'],
    ],
  },
]
const levels = [
  ['trough', 'trough'],
  ['usual', 'usual'],
  ['peak', 'peak'],
  ['grown', 'grown peak'],
] as const

function wrong(field: string): string | undefined {
  const fault = props.faults.find((entry) => entry.path === `${props.chosen}.${field}`)
  return fault ? `${fault.reason} ${fault.fix}` : undefined
}
/** A tick is stored as the word that stands for it in a file. */
function tick(field: string, event: Event): void {
  emit('edit', { [props.chosen]: { [field]: (event.target as HTMLInputElement).checked ? 'yes' : 'no' } })
}
function set(field: string, event: Event): void {
  const value = (event.target as HTMLInputElement).value
  if (row.value && value !== (row.value.cells[field] ?? '')) emit('edit', { [props.chosen]: { [field]: value } })
}
function addInstances(): void {
  emit(
    'copies',
    props.chosen,
    names.value
      .split(',')
      .map((name) => name.trim())
      .filter(Boolean),
  )
  names.value = ''
}
</script>

<template>
  <aside v-if="row" class="panel" aria-label="workload">
    <div class="head">
      <h2>{{ row.cells.namespace }}/{{ row.cells.name }}</h2>
      <button type="button" class="plain-button quiet" aria-label="close the workload" @click="emit('close')">×</button>
    </div>
    <div class="levels">
      <div v-for="[name, title] in levels" :key="name">
        <span class="quiet">{{ title }}</span><strong>{{ row.levels[name]?.replicas }}</strong
        ><span v-if="(row.levels[name]?.wanted ?? 0) > (row.levels[name]?.replicas ?? 0)" class="madder"
          >of {{ row.levels[name]?.wanted }}</span
        >
      </div>
    </div>
    <dl>
      <template v-for="fact in row.facts" :key="fact.label"
        ><dt>{{ fact.label }}</dt>
        <dd :class="{ madder: fact.care }" :title="fact.why">
          <strong>{{ fact.value }}</strong> <span class="quiet">{{ fact.why }}</span>
        </dd></template
      >
      <template v-if="row.origin || row.request_from"
        ><dt>request from</dt>
        <dd class="quiet">{{ [row.request_from, row.origin].filter(Boolean).join(', ') }}</dd></template
      >
      <template v-if="row.asked_cpu"
        ><dt>asked before</dt>
        <dd>
          {{ row.asked_cpu }}, {{ row.asked_memory }}
          <button v-if="mayEdit" type="button" class="plain-button madder" @click="emit('giveBack', chosen)">give it back</button>
        </dd></template
      >
    </dl>
    <template v-if="row.containers.length">
      <h3>Containers</h3>
      <table>
        <tbody>
          <tr v-for="(entry, place) in row.containers" :key="place">
            <td>{{ entry.name }}</td>
            <td class="quiet">{{ entry.role }}</td>
            <td class="number">{{ entry.cpu }}</td>
            <td class="number">{{ entry.memory }}</td>
            <td class="number quiet">{{ entry.memory_limit ? `≤ ${entry.memory_limit}` : 'no limit' }}</td>
          </tr>
        </tbody>
      </table>
    </template>
    <details
      v-for="section in sections"
      :key="section.title"
      :open="section.fields.some(([field]) => row?.cells[field] && !['70', '5', 'fixed'].includes(row.cells[field] ?? ''))"
    >
      <summary>{{ section.title }}</summary>
      <div class="fields">
        <label v-for="[field, title, hint] in section.fields" :key="field" :class="{ wrong: wrong(field) }" :title="wrong(field)"
          ><span>{{ title }}</span
          ><input
            :key="`${chosen}${field}${row.cells[field]}`"
            :value="kept[field] ?? row.cells[field]"
            :placeholder="hint"
            :readonly="!mayEdit"
            :aria-invalid="Boolean(wrong(field))"
            @input="kept = { ...kept, [field]: ($event.target as HTMLInputElement).value }"
            @change="set(field, $event)"
        /></label>
      </div>
    </details>
    <label
      class="tick"
      title="Ticked: its image is built for every architecture that is offered. Otherwise it runs on the one it names, or else on the house’s."
      ><input
        type="checkbox"
        :checked="row.cells.any_architecture === 'yes'"
        :disabled="!mayEdit"
        @change="tick('any_architecture', $event)"
      />
      runs on every architecture</label
    >
    <div v-if="mayEdit" class="more">
      <NInput
        v-model:value="names"
        size="tiny"
        placeholder="further instances: name, name"
        :input-props="{ 'aria-label': 'names of further instances' }"
      /><NButton size="tiny" :disabled="!names.trim()" @click="addInstances">Add instances</NButton>
    </div>
  </aside>
</template>

<style scoped>
.panel {
  overflow: auto;
  padding: 8px 2px 14px 14px;
  display: grid;
  gap: 8px;
  align-content: start;
}
.head {
  display: flex;
  justify-content: space-between;
  gap: 8px;
}
.head h2 {
  overflow-wrap: anywhere;
}
.levels {
  display: grid;
  grid-template-columns: repeat(4, 1fr);
  border: 1px solid var(--line);
  border-width: 1px 0;
  padding: 4px 0;
}
.levels div {
  display: grid;
  font-size: 12px;
}
.levels strong {
  font-size: 16px;
  font-variant-numeric: tabular-nums;
}
dl {
  display: grid;
  grid-template-columns: 92px 1fr;
  gap: 3px 8px;
  margin: 0;
  font-size: 12px;
}
dt {
  color: var(--quiet);
}
dd {
  margin: 0;
}
td {
  padding: 2px 4px;
  font-size: 12px;
}
summary {
  cursor: pointer;
  font-weight: 600;
}
.fields {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px 10px;
  padding: 6px 0;
}
label {
  display: grid;
  grid-template-columns: 1fr;
  font-size: 12px;
}
label span {
  color: var(--quiet);
}
label input {
  border: 0;
  border-bottom: 1px solid var(--line);
  background: none;
  color: inherit;
  font: inherit;
  padding: 1px 2px;
  width: 100%;
}
label input:focus {
  outline: 2px solid var(--madder);
}
.tick {
  display: flex;
  gap: 6px;
  align-items: center;
}
.tick input {
  width: auto;
  accent-color: var(--madder);
}
.wrong {
  background: color-mix(in srgb, var(--madderWash) 45%, transparent);
}
.more {
  display: flex;
  gap: 8px;
}
</style>
