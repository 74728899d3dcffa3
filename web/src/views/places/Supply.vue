<script setup lang="ts">
import { NCheckbox } from 'naive-ui'
import { computed } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { BenchActions } from '../../api/bench'
import { useMatrix, useRegions } from '../../api/catalogue'
import type { Bench } from '../../api/client'
import { day } from '../../domain/format'
import { kindsOf } from '../../domain/matrix'
import OfferMatrix from './supply/OfferMatrix.vue'
import PriceLists from './supply/PriceLists.vue'
import RegionsCompare from './supply/RegionsCompare.vue'
import NewsLine from './supply/NewsLine.vue'

const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const route = useRoute()
const router = useRouter()
const regions = useRegions()
const region = computed(() => props.bench.variant.region_id)
const matrix = useMatrix(
  computed(() => props.bench.variant.id),
  region,
)
const families = computed(() => (matrix.data.value ? kindsOf(matrix.data.value).families : []))
const known = computed(() => {
  const newest = regions.data.value ?? []
  const own = props.bench.region
  return own && !newest.some((entry) => entry.id === own.id)
    ? newest.map((entry) => (entry.name === own.name && entry.provider === own.provider ? own : entry))
    : newest
})
const views = { matrix: 'What is offered where', regions: 'Regions compared', lists: 'Price lists and rates' } as const
const view = computed(() => (String(route.query.show) in views ? (route.query.show as keyof typeof views) : 'matrix'))
const needsZones = computed(() => props.bench.variant.survive_zone !== 'none')

function toggle(field: 'zones' | 'purchases' | 'families', name: string, on: boolean): void {
  const all = field === 'families' && !props.bench.variant.families.length ? families.value : props.bench.variant[field]
  const next = on ? [...all, name] : all.filter((entry) => entry !== name)
  const whole = field === 'families' && families.value.every((entry) => next.includes(entry))
  props.actions.change.mutate({ [field]: whole ? [] : next })
}
const has = (family: string) => !props.bench.variant.families.length || props.bench.variant.families.includes(family)
</script>

<template>
  <div class="supply">
    <section class="left" aria-label="what this variant may buy">
      <h2>Region</h2>
      <button
        v-for="entry in known"
        :key="entry.id"
        type="button"
        class="plain-button region"
        :class="{ chosen: entry.id === region }"
        :disabled="!mayEdit"
        :aria-pressed="entry.id === region"
        @click="actions.change.mutate({ region_id: entry.id })"
      >
        <span
          ><strong>{{ entry.name }}</strong> <span class="quiet">{{ entry.provider }}</span></span
        >
        <span class="quiet"
          >{{ entry.zones.length }} {{ entry.zones.length === 1 ? 'zone' : 'zones' }} · {{ entry.types }} types · {{ entry.currency }}</span
        >
        <span v-if="needsZones && entry.zones.length < 2" class="madder">one zone cannot survive losing a zone</span>
      </button>
      <p v-if="regions.data.value && !known.length" class="quiet">None is known here yet: they come with a provider’s price list.</p>
      <template v-if="bench.region">
        <h2>Zones used</h2>
        <NCheckbox
          v-for="zone in bench.region.zones"
          :key="zone"
          :checked="bench.variant.zones.includes(zone)"
          :disabled="!mayEdit"
          @update:checked="toggle('zones', zone, $event)"
          >{{ zone }}</NCheckbox
        >
        <h2>May be bought</h2>
        <NCheckbox
          v-for="kind in ['on-demand', 'committed', 'interruptible']"
          :key="kind"
          :checked="bench.variant.purchases.includes(kind)"
          :disabled="!mayEdit"
          @update:checked="toggle('purchases', kind, $event)"
          >{{ kind }}</NCheckbox
        >
        <h2>Families</h2>
        <div class="families">
          <NCheckbox
            v-for="family in families.slice(0, 40)"
            :key="family"
            :checked="has(family)"
            :disabled="!mayEdit"
            @update:checked="toggle('families', family, $event)"
            >{{ family }}</NCheckbox
          >
        </div>
        <p v-if="bench.rate" class="quiet">
          1 {{ bench.rate.currency }} = {{ bench.rate.worth }} {{ bench.rate.base }}, {{ bench.rate.source || 'as stated' }} of
          {{ day(bench.rate.dated) }}
        </p>
      </template>
    </section>
    <div class="right">
      <nav class="views" aria-label="views of supply">
        <button
          v-for="(title, name) in views"
          :key="name"
          type="button"
          class="plain-button"
          :class="{ here: name === view }"
          :aria-current="name === view ? 'page' : undefined"
          @click="router.replace({ query: { ...route.query, show: name === 'matrix' ? undefined : name } })"
        >
          {{ title }}
        </button>
        <NewsLine :bench="bench" :actions="actions" :may-edit="mayEdit" />
      </nav>
      <PriceLists v-if="view === 'lists'" :bench="bench" :bench-actions="actions" :may-edit="mayEdit" />
      <RegionsCompare v-else-if="view === 'regions'" :bench="bench" :actions="actions" :may-edit="mayEdit" />
      <OfferMatrix v-else-if="region" :bench="bench" />
      <p v-else-if="regions.data.value && !known.length" class="quiet none">
        No price list is known here yet.
        <button type="button" class="plain-button madder" @click="router.replace({ query: { show: 'lists' } })">Read one from a file</button
        >; or bring in a study’s file under Studies, with the lists that it stands on.
      </p>
      <p v-else class="quiet none">
        Choose a region at the left: what is offered where stands here then. Not sure which?
        <button type="button" class="plain-button madder" @click="router.replace({ query: { show: 'regions' } })">Compare them</button>.
      </p>
    </div>
  </div>
</template>

<style scoped>
.supply {
  display: grid;
  grid-template-columns: 218px 1fr;
  height: 100%;
}
.left {
  border-right: 1px solid var(--line);
  padding: 10px 12px;
  display: grid;
  gap: 6px;
  align-content: start;
  overflow: auto;
}
.left h2 {
  margin-top: 6px;
}
.region {
  display: grid;
  padding: 6px 8px;
  border-bottom: 1px solid var(--line);
  font-size: 12px;
}
.region:hover {
  background: var(--wash);
}
.region.chosen {
  background: var(--panel);
  box-shadow: inset 3px 0 0 var(--madder);
}
.families {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px;
}
.right {
  display: grid;
  grid-template-rows: 36px 1fr;
  min-height: 0;
  min-width: 0;
}
.views {
  display: flex;
  gap: 22px;
  align-items: center;
  padding: 0 14px;
  border-bottom: 1px solid var(--line);
}
.views button {
  padding: 6px 0;
  font-weight: 560;
  color: var(--quiet);
  white-space: nowrap;
}
.views .here {
  color: var(--ink);
  box-shadow: 0 2px 0 var(--madder);
}
.none {
  padding: 40px;
}
</style>
