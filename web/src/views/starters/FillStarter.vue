<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { NButton, NCheckbox } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { useRouter } from 'vue-router'
import { useRegions } from '../../api/catalogue'
import type { Problem } from '../../api/client'
import { useStarterActions, useTrial, type FillIn, type Starter } from '../../api/starters'
import { gapWords, money, plural } from '../../domain/format'
import { allowedMinutes, felt } from '../../domain/minutes'
import { survivalWords } from '../../domain/words'
import FaultList from '../../ui/FaultList.vue'
import OneOf from '../../ui/OneOf.vue'

/** A starter that is being filled in, with what it would cost and keep beside it while one types. */
const props = defineProps<{ starter: Starter; mayUse: boolean }>()
const router = useRouter()
const regions = useRegions()
const name = ref('')
const region = ref(props.starter.region_id)
const left = ref<string[]>([])
const size = ref(props.starter.sizes.find((each) => Number(each.factor) === 1)?.name ?? props.starter.sizes[0]?.name ?? '')
const inputs = ref<Record<string, string>>({})
const survive = ref(props.starter.survive_zone)
const targets = ref<Record<string, string>>({})
const place = computed(() => regions.data.value?.find((each) => each.id === region.value) ?? null)
// Zones belong to a region: those of another one are not left out of this one.
watch(region, () => (left.value = []))
const answers = computed<FillIn | null>(() =>
  region.value === null
    ? null
    : {
        name: '',
        region_id: region.value,
        zones: left.value.length ? (place.value?.zones ?? []).filter((zone) => !left.value.includes(zone)) : [],
        size: size.value,
        inputs: inputs.value,
        survive_zone: survive.value,
        targets: targets.value,
      },
)
const asked = refDebounced(
  computed(() => (answers.value === null ? null : (JSON.parse(JSON.stringify(answers.value)) as FillIn))),
  350,
)
const query = useTrial(
  computed(() => props.starter.id),
  asked,
)
const actions = useStarterActions()
const made = actions.use
const problem = computed(() => (made.error.value ?? query.error.value) as Problem | null)
const trial = computed(() => (query.error.value ? null : (query.data.value ?? null)))
const gap = computed(() => {
  const [cost, floor] = [Number(trial.value?.cost_per_month), Number(trial.value?.floor_per_month)]
  return floor > 0 ? cost / floor - 1 : null
})
function wrong(path: string): boolean {
  return !!problem.value?.faults?.some((fault) => fault.path === path)
}
function usual(journey: string): string {
  return props.starter.journeys.find((each) => each.name === journey)?.target ?? ''
}
function make(): void {
  if (!answers.value) return
  made.mutate(
    { starter: props.starter.id, body: { ...answers.value, name: name.value } },
    { onSuccess: (study) => router.push(`/bench/${study.variants[0]?.id}/fit`) },
  )
}
</script>

<template>
  <form class="fill" aria-label="fill it in" @submit.prevent="make">
    <div class="blanks">
      <label class="blank">
        <span>name of the study</span>
        <input v-model="name" :aria-invalid="wrong('name')" maxlength="120" />
      </label>
      <div class="blank">
        <span>region</span>
        <OneOf
          v-model:value="region"
          size="small"
          name="region"
          :options="(regions.data.value ?? []).map((each) => ({ value: each.id, label: `${each.name}, ${each.provider}` }))"
        />
        <span v-if="starter.region_id === null" class="amber"
          >{{ starter.region || 'The region that it was made in' }} is no longer sold; choose another one.</span
        >
      </div>
      <div v-if="place" class="blank">
        <span>zones</span>
        <span class="zones">
          <NCheckbox
            v-for="zone in place.zones"
            :key="zone"
            :checked="!left.includes(zone)"
            @update:checked="left = $event ? left.filter((each) => each !== zone) : [...left, zone]"
            >{{ zone }}</NCheckbox
          >
        </span>
      </div>
      <div class="blank">
        <span>size</span>
        <span class="sizes" role="radiogroup" aria-label="size">
          <label v-for="each in starter.sizes" :key="each.name" :title="`${each.factor} times as much`">
            <input v-model="size" type="radio" name="size" :value="each.name" /> {{ each.name }}
            <span class="quiet">× {{ Number(each.factor) }}</span>
          </label>
        </span>
      </div>
      <label v-for="each in starter.inputs" :key="each.name" class="blank">
        <span>{{ each.label }}{{ each.unit ? `, ${each.unit}` : '' }}</span>
        <input
          :value="inputs[each.name] ?? ''"
          :placeholder="each.value"
          :aria-invalid="wrong(`inputs.${each.name}`)"
          inputmode="decimal"
          @input="inputs = { ...inputs, [each.name]: ($event.target as HTMLInputElement).value }"
        />
        <span class="quiet">{{ each.least }} to {{ each.most }}</span>
      </label>
      <div class="blank">
        <span>loss of any one zone</span>
        <OneOf
          v-model:value="survive"
          size="small"
          name="loss of any one zone"
          :options="Object.entries(survivalWords).map(([value, label]) => ({ value, label }))"
        />
      </div>
      <label v-for="each in starter.journeys" :key="each.name" class="blank">
        <span>{{ each.name }}, available %</span>
        <input
          :value="targets[each.name] ?? ''"
          :placeholder="each.target"
          :aria-invalid="wrong(`targets.${each.name}`)"
          inputmode="decimal"
          @input="targets = { ...targets, [each.name]: ($event.target as HTMLInputElement).value }"
        />
        <span class="quiet">{{ felt(allowedMinutes(targets[each.name] || usual(each.name))) }} a month</span>
      </label>
    </div>
    <div class="told" aria-live="polite" :aria-busy="query.isFetching.value">
      <FaultList v-if="problem" :faults="problem.faults ?? []" :title="problem.message" />
      <template v-if="trial && trial.cost_per_month !== null">
        <p class="cost">
          <strong>{{ money(trial.cost_per_month) }} {{ trial.currency }}</strong> a month
        </p>
        <p class="quiet">
          {{ plural(trial.nodes, 'node') }} for {{ plural(trial.replicas, 'replica') }}, a quick plan{{
            gap === null ? '' : ` ${gapWords(gap)}`
          }}; the whole fit follows when the study is made.
        </p>
        <table v-if="trial.journeys.length" aria-label="journeys under the quick plan">
          <thead>
            <tr>
              <th>journey</th>
              <th class="number">down a month</th>
              <th class="number">allowed</th>
              <th>kept</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="each in trial.journeys" :key="each.name">
              <td>{{ each.name }}</td>
              <td class="number">{{ felt(each.minutes) }}</td>
              <td class="number">{{ felt(each.allowed) }}</td>
              <td :class="{ madder: each.minutes > each.allowed }">{{ each.minutes > each.allowed ? '▲ no' : '◆ yes' }}</td>
            </tr>
          </tbody>
        </table>
      </template>
      <template v-else-if="trial">
        <p class="madder">There is no quick plan:</p>
        <ul>
          <li v-for="words in trial.reasons" :key="words">{{ words }}</li>
        </ul>
      </template>
      <p v-else-if="!problem" class="quiet">{{ region === null ? 'Choose a region.' : 'Computing a quick plan …' }}</p>
      <NButton v-if="mayUse" type="primary" attr-type="submit" :disabled="!name.trim() || region === null" :loading="made.isPending.value"
        >Make the study</NButton
      >
      <p v-else class="quiet">A planner can make a study of it.</p>
    </div>
  </form>
</template>

<style scoped>
.fill {
  display: grid;
  grid-template-columns: minmax(430px, 1fr) 1fr;
  gap: 28px;
}
.blanks {
  display: grid;
  gap: 9px;
  align-content: start;
}
.blank {
  display: grid;
  grid-template-columns: 170px 190px auto;
  gap: 10px;
  align-items: center;
}
.blank > input {
  border: 1px solid var(--line);
  padding: 3px 8px;
  min-height: 28px;
}
.sizes input {
  accent-color: var(--ink);
}
.blank > .amber {
  grid-column: 1 / -1;
}
.zones,
.sizes {
  grid-column: 2 / -1;
  display: flex;
  flex-wrap: wrap;
  gap: 12px;
}
.sizes label {
  min-height: 24px;
}
.cost {
  font-size: 22px;
  margin: 0;
}
.told {
  display: grid;
  gap: 10px;
  align-content: start;
  justify-items: start;
}
</style>
