<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref } from 'vue'
import { underWay, type ListReading } from '../../../api/client'
import { day, percent, plural } from '../../../domain/format'
import ShareBar from '../../../ui/ShareBar.vue'

/** A list on its way or waiting to be taken: progress, what could not be read, every difference. */
const props = defineProps<{ reading: ListReading; mayEdit: boolean; taking: boolean }>()
const emit = defineEmits<{ stop: []; take: [] }>()
const kind = ref<string | null>(null)
const busy = computed(() => underWay(props.reading))
const open = computed(() => ['ready', 'partial'].includes(props.reading.status))
const counts = computed(() => {
  const result = new Map<string, number>()
  for (const change of props.reading.changes) result.set(change.kind, (result.get(change.kind) ?? 0) + 1)
  return [...result]
})
const shown = computed(() => props.reading.changes.filter((change) => !kind.value || change.kind === kind.value).slice(0, 200))

function by(before: string, after: string): string {
  const [was, now] = [Number(before), Number(after)]
  return was > 0 && now > 0 ? `${now > was ? '+' : '−'}${percent(Math.abs(now / was - 1))}` : ''
}
</script>

<template>
  <div class="reading cut" role="status">
    <template v-if="busy">
      <span class="phase">{{ reading.phase }}</span>
      <ShareBar :share="reading.share" label="share of the list read" />
      <span class="quiet"
        >{{ plural(reading.pages, 'page') }}<template v-if="reading.retries">, {{ plural(reading.retries, 'repeat') }}</template> · started
        by {{ reading.started_by }}</span
      >
      <NButton v-if="mayEdit" size="tiny" @click="emit('stop')">Stop</NButton>
    </template>
    <p v-else-if="reading.status === 'failed'" class="madder wide">{{ reading.message }}</p>
    <template v-else-if="open">
      <div class="wide head">
        <strong
          >List of {{ day(reading.dated ?? '') }}:
          {{ reading.change_count ? plural(reading.change_count, 'difference') : 'nothing differs' }}</strong
        >
        <span class="quiet">{{ reading.message }} Nothing counts before it is taken.</span>
        <span class="grow" />
        <template v-if="mayEdit">
          <NButton size="tiny" type="primary" :loading="taking" @click="emit('take')">Take it as the newest</NButton>
          <NButton size="tiny" @click="emit('stop')">Discard</NButton>
        </template>
      </div>
      <p v-for="part in reading.missing" :key="part.region" class="wide madder">
        {{ part.region }} could not be read: {{ part.why }} Taken now, it stays as the list before has it.
      </p>
      <div v-if="reading.changes.length" class="wide kinds">
        <button type="button" class="plain-button" :class="{ here: !kind }" @click="kind = null">all {{ reading.change_count }}</button>
        <button
          v-for="[name, count] in counts"
          :key="name"
          type="button"
          class="plain-button"
          :class="{ here: kind === name }"
          @click="kind = name"
        >
          {{ name }} {{ count }}
        </button>
      </div>
      <div v-if="reading.changes.length" class="wide scroll" tabindex="0" role="region" aria-label="differences">
        <table>
          <tbody>
            <tr v-for="(change, place) in shown" :key="place">
              <td :class="{ madder: ['gone', 'out of stock', 'dearer'].includes(change.kind) }">{{ change.kind }}</td>
              <td>{{ change.subject }}</td>
              <td class="number">{{ change.before }}</td>
              <td class="number">{{ change.after }}</td>
              <td class="number quiet">{{ by(change.before, change.after) }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </template>
  </div>
</template>

<style scoped>
.reading {
  display: grid;
  grid-template-columns: auto 1fr auto auto auto;
  gap: 8px 14px;
  align-items: center;
  padding: 10px 14px;
}
.wide {
  grid-column: 1 / -1;
}
.head {
  display: flex;
  gap: 12px;
  align-items: baseline;
  padding-right: 10px;
}
.grow {
  flex: 1;
}
.phase {
  font-weight: 600;
}
.kinds {
  display: flex;
  gap: 16px;
}
.kinds .here {
  font-weight: 700;
  box-shadow: 0 2px 0 var(--madder);
}
.scroll {
  max-height: 230px;
  overflow: auto;
}
td {
  padding: 2px 6px;
  font-size: 12px;
}
</style>
