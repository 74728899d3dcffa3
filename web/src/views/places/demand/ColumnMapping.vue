<script setup lang="ts">
import { NInput, NSelect } from 'naive-ui'
import { computed } from 'vue'
import type { Schemas } from '../../../api/client'
import OneOf from '../../../ui/OneOf.vue'

/** Which heading of the file stands for which column, and in which unit plain numbers are. */
type Mapped = Schemas['ImportIn']['mapped']
const props = defineProps<{ headings: Schemas['HeadingsOut']; mapped: Mapped }>()
const emit = defineEmits<{ map: [mapped: Mapped] }>()
const units: Record<string, { value: string; label: string }[]> = {
  cpu: [
    { value: '', label: 'cores' },
    { value: 'm', label: 'millicores' },
  ],
  memory: [
    { value: '', label: 'bytes' },
    { value: 'Mi', label: 'MiB' },
    { value: 'Gi', label: 'GiB' },
    { value: 'M', label: 'MB' },
    { value: 'G', label: 'GB' },
    { value: 'Ki', label: 'KiB' },
  ],
}
const taken = computed<Record<string, string>>(() => ({ ...props.headings.guess, ...(props.mapped?.columns ?? {}) }))
const lines = computed(() =>
  props.headings.headings.map((heading, place) => ({
    heading,
    sample: props.headings.sample
      .map((row) => row[place])
      .filter(Boolean)
      .join(', '),
    column: Object.entries(taken.value).find(([, own]) => own === heading)?.[0] ?? null,
  })),
)
const missing = computed(() => props.headings.required.filter((name) => !taken.value[name] && !(name in (props.mapped?.fixed ?? {}))))
const options = computed(() => props.headings.columns.map((value) => ({ value, label: value.replaceAll('_', ' ') })))

function choose(heading: string, column: string | null): void {
  const columns: Record<string, string> = { ...(props.mapped?.columns ?? {}) }
  for (const [name, own] of Object.entries(taken.value)) if (own === heading) columns[name] = ''
  if (column) columns[column] = heading
  emit('map', { ...props.mapped, columns })
}
function unit(column: string, value: string): void {
  emit('map', { ...props.mapped, units: { ...(props.mapped?.units ?? {}), [column]: value } })
}
function fix(column: string, event: Event): void {
  emit('map', { ...props.mapped, fixed: { ...(props.mapped?.fixed ?? {}), [column]: (event.target as HTMLInputElement).value } })
}
</script>

<template>
  <table class="mapping">
    <thead>
      <tr>
        <th>heading in the file</th>
        <th>first values</th>
        <th>column of the sheet</th>
        <th>plain numbers are</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="line in lines" :key="line.heading">
        <td>{{ line.heading }}</td>
        <td class="quiet sample">{{ line.sample }}</td>
        <td>
          <NSelect
            :value="line.column"
            size="tiny"
            clearable
            filterable
            placeholder="not taken"
            :options="options"
            :consistent-menu-width="false"
            :aria-label="`column for ${line.heading}`"
            @update:value="choose(line.heading, $event)"
          />
        </td>
        <td>
          <OneOf
            v-if="line.column && units[line.column]"
            :value="mapped?.units?.[line.column] ?? headings.units[line.column] ?? ''"
            size="tiny"
            :options="units[line.column]"
            :name="`unit of ${line.column}`"
            @update:value="unit(line.column, $event)"
          />
        </td>
      </tr>
      <tr v-for="name in missing" :key="name" class="missing">
        <td class="madder">no heading for {{ name.replaceAll('_', ' ') }}</td>
        <td class="quiet">the same for every row:</td>
        <td colspan="2">
          <NInput
            size="tiny"
            :default-value="''"
            :placeholder="`${name} of every row`"
            :input-props="{ 'aria-label': `${name} of every row` }"
            @change="fix(name, { target: { value: $event } } as unknown as Event)"
          />
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.mapping {
  margin-bottom: 8px;
}
td {
  padding: 2px 6px;
}
.sample {
  max-width: 150px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
td :deep(.n-select) {
  width: 140px;
}
</style>
