<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'
import type { Problem } from '../../api/client'
import { useStarterActions, type Starter } from '../../api/starters'
import FaultList from '../../ui/FaultList.vue'

/** What a starter asks for: its inputs, its sizes, and the formulas that make amounts of them; kept as a next version, whole. */
const props = defineProps<{ starter: Starter }>()
type Input = Starter['inputs'][number]
type Amount = keyof Starter['rows'][number]['formulas']
const AMOUNTS: { name: Amount; title: string }[] = [
  { name: 'replicas', title: 'replicas' },
  { name: 'load', title: 'load at peak' },
  { name: 'cpu', title: 'vCPUs' },
  { name: 'memory', title: 'GiB' },
]
const INPUTS: { name: keyof Input; title: string }[] = [
  { name: 'name', title: 'name in formulas' },
  { name: 'label', title: 'what people call it' },
  { name: 'unit', title: 'unit' },
  { name: 'value', title: 'usual' },
  { name: 'least', title: 'least' },
  { name: 'most', title: 'most' },
]
const copy = <T,>(value: T): T => JSON.parse(JSON.stringify(value)) as T
// A draft of its own: somebody else's version must not take away what is typed here.
const inputs = ref(copy(props.starter.inputs))
const sizes = ref(copy(props.starter.sizes))
const rows = ref(copy(props.starter.rows))
const why = ref('')
const version = useStarterActions().version
const problem = computed(() => version.error.value as Problem | null)
function wrong(path: string): boolean {
  return !!problem.value?.faults?.some((fault) => fault.path.startsWith(path))
}
/** Whether an amount can be a formula: replicas that follow a load are none, and neither is a load of others. */
function possible(row: Starter['rows'][number], amount: Amount): boolean {
  return row.plain[amount] !== ''
}
function keep(): void {
  const formulas = Object.fromEntries(
    rows.value.map((row) => [row.name, Object.fromEntries(Object.entries(row.formulas).filter(([, text]) => text.trim()))]),
  )
  const blanks = { inputs: inputs.value, sizes: sizes.value, formulas }
  version.mutate(
    { id: props.starter.id, after: props.starter.version, blanks, why: why.value, variant_id: null },
    { onSuccess: () => (why.value = '') },
  )
}
</script>

<template>
  <form class="blanks" aria-label="what it asks for" @submit.prevent="keep">
    <FaultList v-if="problem" :faults="problem.faults ?? []" :title="problem.message" />
    <h3>Inputs</h3>
    <table aria-label="inputs">
      <thead>
        <tr>
          <th v-for="column in INPUTS" :key="column.name">{{ column.title }}</th>
          <th><span class="unseen">what to do</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(each, place) in inputs" :key="place">
          <td v-for="column in INPUTS" :key="column.name">
            <input
              v-model="each[column.name]"
              :aria-label="`${column.title} of input ${place + 1}`"
              :aria-invalid="wrong(`inputs.${place}`)"
            />
          </td>
          <td>
            <NButton size="tiny" quaternary :aria-label="`remove input ${place + 1}`" @click="inputs.splice(place, 1)">remove</NButton>
          </td>
        </tr>
      </tbody>
    </table>
    <NButton size="tiny" class="add" @click="inputs.push({ name: '', label: '', unit: '', value: '1', least: '0', most: '1000' })"
      >Add an input</NButton
    >
    <h3>Sizes</h3>
    <div class="sizes">
      <span v-for="(each, place) in sizes" :key="place">
        <input v-model="each.name" class="short" :aria-label="`name of size ${place + 1}`" :aria-invalid="wrong(`sizes.${place}`)" /> ×
        <input v-model="each.factor" class="short" :aria-label="`factor of size ${place + 1}`" :aria-invalid="wrong(`sizes.${place}`)" />
        <NButton size="tiny" quaternary :aria-label="`remove size ${place + 1}`" @click="sizes.splice(place, 1)">remove</NButton>
      </span>
      <NButton size="tiny" @click="sizes.push({ name: '', factor: '1' })">Add a size</NButton>
    </div>
    <h3>Formulas</h3>
    <p class="quiet">
      Of {{ ['size', ...inputs.map((each) => each.name).filter(Boolean)].join(', ') }}, with + - * / ( ) and ceil, floor, min, max; computed
      exactly. Where there is none the amount stays, which stands in grey.
    </p>
    <table aria-label="formulas">
      <thead>
        <tr>
          <th>workload</th>
          <th v-for="amount in AMOUNTS" :key="amount.name">{{ amount.title }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="row.name">
          <td>{{ row.name }}</td>
          <td v-for="amount in AMOUNTS" :key="amount.name">
            <input
              v-if="possible(row, amount.name)"
              v-model="row.formulas[amount.name]"
              :placeholder="row.plain[amount.name]"
              :aria-label="`${amount.title} of ${row.name}`"
              :aria-invalid="wrong(`formulas.${row.name}.${amount.name}`)"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <label class="why"
      >what is otherwise <input v-model="why" maxlength="400" :aria-invalid="wrong('why')" /><NButton
        type="primary"
        size="small"
        attr-type="submit"
        :loading="version.isPending.value"
        >Save version {{ starter.version + 1 }}</NButton
      ></label
    >
  </form>
</template>

<style scoped>
.blanks {
  display: grid;
  gap: 8px;
}
.add {
  justify-self: start;
}
h3 {
  margin: 6px 0 0;
}
p {
  margin: 0;
}
input {
  border: 1px solid var(--line);
  padding: 3px 6px;
  min-height: 26px;
}
td input {
  width: 100%;
}
.sizes {
  display: flex;
  flex-wrap: wrap;
  gap: 16px;
  align-items: center;
}
.short {
  width: 60px;
}
.why {
  display: grid;
  grid-template-columns: auto 420px auto;
  gap: 10px;
  align-items: center;
  justify-content: start;
}
</style>
