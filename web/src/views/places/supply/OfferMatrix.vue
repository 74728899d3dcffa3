<script setup lang="ts">
import { NButton, NCheckbox, NInput, NInputNumber } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useMatrix, useType } from '../../../api/catalogue'
import type { Bench } from '../../../api/client'
import { useEscape } from '../../../composables/useKeys'
import { filtered, kindsOf, noFilter, rowsOf, type Filter } from '../../../domain/matrix'
import MatrixSheet from './MatrixSheet.vue'
import TypePanel from './TypePanel.vue'
import OneOf from '../../../ui/OneOf.vue'

const props = defineProps<{ bench: Bench }>()
const route = useRoute()
const router = useRouter()
const variant = computed(() => props.bench.variant.id)
const region = computed(() => props.bench.variant.region_id)
const matrix = useMatrix(variant, region)
const chosen = computed(() => (typeof route.query.type === 'string' ? route.query.type : null))
useEscape(
  () => chosen.value !== null,
  () => void router.replace({ query: { ...route.query, type: undefined } }),
)
const detail = useType(variant, region, chosen)
const filter = ref<Filter>({ ...noFilter })
const purchase = ref(0)
const used = computed(() => props.bench.variant.zones)
const kinds = computed(() => (matrix.data.value ? kindsOf(matrix.data.value) : { families: [], architectures: [] }))
const rows = computed(() => (matrix.data.value ? rowsOf(matrix.data.value, purchase.value, used.value) : []))
const shown = computed(() => filtered(rows.value, filter.value))
const everywhere = computed(() => rows.value.filter((row) => row.everywhere).length)
const sold = computed(() => rows.value.filter((row) => row.cells.some((cell) => cell.state !== 'missing')).length)
const gaps = computed(() =>
  rows.value.flatMap((row) =>
    row.cells.flatMap((cell, place) => {
      const zone = matrix.data.value?.zones[place] ?? ''
      const elsewhere = row.cells.some((other) => other.state === 'offered')
      return cell.state !== 'offered' && elsewhere && used.value.includes(zone) ? [{ type: row.type.name, zone }] : []
    }),
  ),
)
const options = (names: string[]) => names.map((name) => ({ label: name, value: name }))
const sorts = [
  { label: 'by family', value: 'family' },
  { label: 'by price per vCPU', value: 'perVcpu' },
  { label: 'by price per GiB', value: 'perGib' },
  { label: 'by size', value: 'size' },
]

watch(region, () => (filter.value = { ...noFilter }))
function choose(name: string | null): void {
  void router.replace({ query: { ...route.query, type: name ?? undefined } })
}
</script>

<template>
  <div v-if="matrix.data.value" class="offers" :class="{ open: chosen && detail.data.value }">
    <div class="middle">
      <p class="sum">
        <strong>{{ everywhere }} of {{ sold }}</strong> types in every zone used<template v-if="gaps.length"
          >; missing:
          <button
            v-for="gap in gaps.slice(0, 4)"
            :key="`${gap.type}${gap.zone}`"
            type="button"
            class="plain-button gap"
            @click="choose(gap.type)"
          >
            {{ gap.type }} in {{ gap.zone }}</button
          ><span v-if="gaps.length > 4" class="quiet"> and {{ gaps.length - 4 }} more</span></template
        >.
        <span class="quiet">{{ matrix.data.value.currency }} an hour; fuller is dearer per usable vCPU.</span>
      </p>
      <div class="filters" role="search">
        <NInput
          v-model:value="filter.find"
          size="tiny"
          clearable
          placeholder="find a type"
          data-find
          :input-props="{ 'aria-label': 'find a type' }"
        />
        <OneOf v-model:value="filter.family" size="tiny" clearable placeholder="family" :options="options(kinds.families)" name="family" />
        <OneOf
          v-model:value="filter.architecture"
          size="tiny"
          clearable
          placeholder="chip"
          :options="options(kinds.architectures)"
          name="architecture"
        />
        <NInputNumber
          v-model:value="filter.leastVcpu"
          size="tiny"
          :min="0"
          :precision="0"
          :show-button="false"
          clearable
          placeholder="vCPU ≥"
          :input-props="{ 'aria-label': 'least vCPU' }"
        />
        <NInputNumber
          v-model:value="filter.mostVcpu"
          size="tiny"
          :min="0"
          :precision="0"
          :show-button="false"
          clearable
          placeholder="vCPU ≤"
          :input-props="{ 'aria-label': 'most vCPU' }"
        />
        <NInputNumber
          v-model:value="filter.mostPerVcpu"
          size="tiny"
          :min="0"
          :step="0.005"
          :show-button="false"
          clearable
          placeholder="per vCPU ≤"
          :input-props="{ 'aria-label': 'most a vCPU and hour' }"
        />
        <NInputNumber
          v-model:value="filter.mostPerGib"
          size="tiny"
          :min="0"
          :step="0.001"
          :show-button="false"
          clearable
          placeholder="per GiB ≤"
          :input-props="{ 'aria-label': 'most a GiB and hour' }"
        />
        <OneOf
          v-model:value="purchase"
          size="tiny"
          :options="matrix.data.value.purchases.map((label, value) => ({ label, value }))"
          name="kind of purchase shown"
        />
        <OneOf v-model:value="filter.sort" size="tiny" :options="sorts" name="order" />
        <NCheckbox v-model:checked="filter.onlyEverywhere" size="small">every zone</NCheckbox>
      </div>
      <MatrixSheet
        v-if="shown.length"
        :rows="shown"
        :zones="matrix.data.value.zones"
        :used="used"
        :chosen="chosen"
        :house="matrix.data.value.house_families"
        @choose="choose"
      />
      <p v-else class="quiet none">
        No type passes these filters. <NButton size="tiny" @click="filter = { ...noFilter }">Show all</NButton>
      </p>
    </div>
    <TypePanel
      v-if="chosen && detail.data.value"
      :detail="detail.data.value"
      :currency="matrix.data.value.currency"
      @close="choose(null)"
    />
  </div>
  <p v-else-if="matrix.error.value" class="madder none" role="alert">{{ matrix.error.value.message }}</p>
</template>

<style scoped>
.offers {
  display: grid;
  grid-template-columns: 1fr;
  min-height: 0;
  height: 100%;
}
.offers.open {
  grid-template-columns: 1fr 340px;
}
.middle {
  display: grid;
  grid-template-rows: auto auto 1fr;
  gap: 8px;
  min-height: 0;
  min-width: 0;
  padding: 10px 12px 0;
}
.filters {
  display: grid;
  grid-template-columns: repeat(5, minmax(0, 1fr));
  gap: 6px;
  align-items: center;
}
.gap {
  color: var(--madder);
  font-weight: 600;
  margin-right: 8px;
  text-decoration: underline;
  text-underline-offset: 2px;
}
.none {
  padding: 30px;
}
.sum {
  line-height: 1.4;
}
</style>
