<script setup lang="ts">
import type { Comparison, FigureLine } from '../../api/comparison'
import { exactMoney } from '../../domain/format'

/** Figures of plans beside each other, the best with a rhombus; choices that differ, which can be taken over. */
const props = defineProps<{ found: Comparison; mayEdit: boolean }>()
const emit = defineEmits<{ take: [variant: number, source: number, field: string] }>()
const UNITS = { money: '', percent: ' %', minutes: ' min', count: '' }

function shown(line: FigureLine, place: number): string {
  const value = line.values[place]
  if (value === null || value === undefined) return '—'
  if (line.unit === 'money') return `${exactMoney(value)} ${props.found.currency}`
  return `${line.unit === 'count' ? value : Number(value).toFixed(2)}${UNITS[line.unit]}`
}
</script>

<template>
  <section>
    <h2>Figures</h2>
    <table aria-label="figures">
      <thead>
        <tr>
          <th><span class="unseen">figure</span></th>
          <th v-for="column in found.columns" :key="column.key" class="number">{{ column.name }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="line in found.figures" :key="line.name">
          <td>{{ line.name }}</td>
          <td v-for="(column, place) in found.columns" :key="column.key" class="number" :class="{ best: line.best.includes(place) }">
            <span v-if="line.best.includes(place)" title="the better one"
              ><span aria-hidden="true">◆</span><span class="unseen">better:</span></span
            >
            {{ shown(line, place) }}
          </td>
        </tr>
      </tbody>
    </table>
  </section>
  <slot />
  <section v-if="found.choices.length">
    <h2>Choices that differ</h2>
    <table aria-label="choices that differ">
      <thead>
        <tr>
          <th>choice</th>
          <th v-for="column in found.columns" :key="column.key">{{ column.name }}</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="choice in found.choices" :key="choice.field">
          <td>{{ choice.name }}</td>
          <td v-for="(column, place) in found.columns" :key="column.key">
            <span class="value">{{ choice.values[place] || '—' }}</span>
            <template v-if="mayEdit && column.variant_id && choice.values[place]">
              <template v-for="(other, there) in found.columns" :key="other.key">
                <button
                  v-if="
                    other.variant_id &&
                    there !== place &&
                    other.key.startsWith('v') &&
                    choice.values[there] !== choice.values[place] &&
                    column.key.startsWith('v')
                  "
                  type="button"
                  class="plain-button link"
                  :title="`take over the whole choice of ${choice.name}`"
                  :aria-label="`${choice.name} of ${column.name} to ${other.name}`"
                  @click="emit('take', other.variant_id, column.variant_id, choice.field)"
                >
                  to {{ other.name }}
                </button>
              </template>
            </template>
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>

<style scoped>
section {
  display: grid;
  gap: 6px;
}
td {
  vertical-align: top;
}
.best {
  font-weight: 640;
}
.value {
  overflow-wrap: anywhere;
  display: block;
  max-width: 320px;
}
.link {
  color: var(--madder);
  text-decoration: underline;
  font-size: 11px;
  margin-right: 8px;
  min-height: 24px;
}
</style>
