<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import type { BenchActions } from '../../../api/bench'
import { useOutlooks } from '../../../api/catalogue'
import type { Bench, RegionOutlook } from '../../../api/client'
import { survivalWords } from '../../../domain/words'
import { day, exactMoney, money, percent, plural } from '../../../domain/format'

/** Every region for the same demand: zones, what is missing, and the floor with the promise and without. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const variant = computed(() => props.bench.variant.id)
const inputs = computed(() => JSON.stringify([props.bench.variant, props.bench.workloads]))
const outlooks = useOutlooks(variant, inputs)
const most = computed(() =>
  Math.max(1, ...(outlooks.data.value ?? []).map((entry) => Number(entry.floor_per_month ?? entry.without_promise_per_month ?? 0))),
)
const promise = computed(() => survivalWords[props.bench.variant.survive_zone])
const share = (amount: string | null) => (100 * Number(amount ?? 0)) / most.value
const least = computed(() =>
  Math.min(...(outlooks.data.value ?? []).filter((entry) => entry.floor_per_month).map((entry) => Number(entry.floor_per_month))),
)

function extra(entry: RegionOutlook): string {
  if (!entry.floor_per_month || !entry.without_promise_per_month) return ''
  return `the promise adds ${percent(Number(entry.floor_per_month) / Number(entry.without_promise_per_month) - 1, 0)}`
}
</script>

<template>
  <div class="compare">
    <p v-if="!bench.workloads.length" class="quiet">
      There is no demand yet, so there is nothing to compare regions by. Add it under Demand; each region’s least cost then stands here.
    </p>
    <p v-else-if="!outlooks.data.value && !outlooks.error.value" class="quiet">working out the floor of every region …</p>
    <p v-if="outlooks.error.value" class="madder" role="alert">{{ outlooks.error.value.message }}</p>
    <p v-if="outlooks.data.value && bench.workloads.length" class="quiet">
      The same demand in every region, over all its zones, {{ promise }}: the least that any plan could cost a month, in
      {{ bench.study.currency }}. A floor is proved in a moment; the fit itself comes when a region is chosen.
    </p>
    <article v-for="entry in outlooks.data.value" :key="entry.region.id" class="region" :class="{ here: entry.is_present }">
      <header>
        <h2>{{ entry.region.name }}</h2>
        <p class="quiet">
          {{ entry.region.provider }} · list of {{ day(entry.region.dated)
          }}<template v-if="entry.region.currency !== bench.study.currency"> · sold in {{ entry.region.currency }}</template>
        </p>
        <p>
          <svg v-for="zone in entry.region.zones" :key="zone" width="12" height="18" viewBox="0 0 12 18" aria-hidden="true">
            <path d="M6 1L11 9 6 17 1 9z" />
          </svg>
          {{ entry.region.zones.join(', ') }}
        </p>
      </header>
      <div class="bars">
        <template v-if="!bench.workloads.length" />
        <template v-else-if="entry.floor_per_month">
          <div
            class="bar"
            :title="`without the promise ${exactMoney(entry.without_promise_per_month ?? 0)}, with it ${exactMoney(entry.floor_per_month)} ${bench.study.currency}`"
          >
            <i class="plain" :style="{ width: `${share(entry.without_promise_per_month)}%` }" /><i
              class="more"
              :style="{ width: `${share(entry.floor_per_month) - share(entry.without_promise_per_month)}%` }"
            />
          </div>
          <p>
            <strong>{{ money(entry.floor_per_month) }} {{ bench.study.currency }}</strong> at least<template
              v-if="Number(entry.floor_per_month) === least"
            >
              · the lowest</template
            ><template v-else-if="least"> · {{ percent(Number(entry.floor_per_month) / least - 1, 0) }} above the lowest</template
            ><span class="quiet"> · {{ money(entry.without_promise_per_month ?? 0) }} without the promise, {{ extra(entry) }}</span>
          </p>
        </template>
        <template v-else>
          <div v-if="entry.without_promise_per_month" class="bar">
            <i class="plain dim" :style="{ width: `${share(entry.without_promise_per_month)}%` }" />
          </div>
          <p class="madder">
            <strong>No plan keeps the promise here.</strong> {{ entry.reasons[0] }}
            <span v-if="entry.reasons.length > 1">And so for other workloads.</span>
          </p>
          <p v-if="entry.without_promise_per_month" class="quiet">
            {{ money(entry.without_promise_per_month) }} {{ bench.study.currency }} at least without it.
          </p>
        </template>
        <p class="quiet">
          {{ entry.everywhere }} of {{ plural(entry.region.types, 'type') }} in every zone<template v-if="entry.missing.length"
            >; missing {{ entry.missing.slice(0, 5).join(', ')
            }}<template v-if="entry.missing.length > 5"> and {{ entry.missing.length - 5 }} more</template></template
          >.
        </p>
      </div>
      <div class="act">
        <strong v-if="entry.is_present" class="quiet">this variant</strong>
        <NButton v-else-if="mayEdit" size="small" @click="actions.change.mutate({ region_id: entry.region.id })"
          >Use for this variant</NButton
        >
      </div>
    </article>
  </div>
</template>

<style scoped>
.compare {
  padding: 12px 16px;
  overflow: auto;
  display: grid;
  gap: 4px;
  align-content: start;
  height: 100%;
}
.region {
  display: grid;
  grid-template-columns: 250px 1fr 150px;
  gap: 20px;
  padding: 12px 6px;
  border-bottom: 1px solid var(--line);
  align-items: start;
}
.region.here {
  box-shadow: inset 3px 0 0 var(--madder);
  background: var(--panel);
  padding-left: 12px;
}
path {
  fill: var(--petrol);
  stroke: var(--ink);
}
.bar {
  display: flex;
  height: 16px;
  background: var(--wash);
  margin-bottom: 4px;
}
.plain {
  background: var(--petrol);
}
.more {
  background: var(--amber);
}
.dim {
  opacity: 0.35;
}
.act {
  text-align: right;
}
</style>
