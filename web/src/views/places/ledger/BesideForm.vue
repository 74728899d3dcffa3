<script setup lang="ts">
import { NCheckbox } from 'naive-ui'
import { computed, ref } from 'vue'
import type { BenchActions } from '../../../api/bench'
import type { Bench, Schemas } from '../../../api/client'
import type { Bill } from '../../../api/ledger'
import { wholeNumber } from '../../../domain/typed'
import HeldInput from '../../../ui/HeldInput.vue'
import OneOf from '../../../ui/OneOf.vue'

/** What is paid beside nodes, as the price list sells it; each change is an edit of the variant, and is fitted. */
const props = defineProps<{ bench: Bench; bill: Bill; actions: BenchActions; mayEdit: boolean }>()
type Beside = Schemas['BesideIn']
type Per = Schemas['FeeCount']['per']
const WAYS: Record<string, [Per, string][]> = {
  'vCPU-hour': [['vcpu', 'for every vCPU']],
  hour: [
    ['node', 'on every node'],
    ['zone', 'in every zone used'],
    ['study', 'in all'],
  ],
  GiB: [
    ['study', 'in all'],
    ['out', 'sent outside'],
    ['crossing', 'across zones'],
  ],
}
const stated = computed(() => props.bench.variant.beside)
const disks = computed(() => props.bill.sold.filter((entry) => entry.kind === 'disk'))
const fees = computed(() => props.bill.sold.filter((entry) => entry.kind === 'fee' && WAYS[entry.unit]))
const diskOptions = computed(() => [
  { value: '', label: 'none is counted' },
  ...disks.value.map((disk) => ({ value: disk.name, label: disk.name })),
])
const volumeOptions = computed(() => [
  { value: '', label: 'none is counted' },
  ...props.bill.sold.filter((entry) => entry.kind === 'volume').map((disk) => ({ value: disk.name, label: disk.name })),
])

const reason = ref('')

function keep(change: Partial<Beside>, kept?: () => void): void {
  props.actions.change.mutate({ beside: change }, { onSuccess: kept })
}
/** States one fee, or (null) that it is not counted; the others are left to whoever states them. */
function setFee(name: string, own: { per: Per; count: number } | null, kept?: () => void): void {
  keep({ fees: { [name]: own } }, kept)
}
/** Whether how much there is may be left to the rows: of traffic. */
function left(name: string): boolean {
  return ['out', 'crossing'].includes(stated.value.fees?.[name]?.per ?? '')
}
</script>

<template>
  <section aria-label="what is counted">
    <h2>Beside the nodes</h2>
    <p class="quiet">
      What nodes bring along and what a zone costs once it is used are minimised with the nodes. The study’s own fees come on top.
    </p>
    <div class="line">
      <span>root disk of every node</span>
      <OneOf
        size="tiny"
        class="pick"
        name="root disk of every node"
        :value="stated.disk_gib ? stated.disk : ''"
        :options="diskOptions"
        :disabled="!mayEdit"
        @update:value="keep($event ? { disk: $event, disk_gib: stated.disk_gib || 50 } : { disk: '', disk_gib: 0 })"
      />
      <label v-if="stated.disk_gib"
        ><HeldInput
          :value="stated.disk_gib"
          inputmode="numeric"
          :may-edit="mayEdit"
          :check="(text) => wholeNumber(text, 'the root disk')"
          aria-label="GiB of the root disk"
          @reason="reason = $event"
          @keep="(text, kept) => keep({ disk_gib: Number(text) }, kept)"
        />
        GiB</label
      >
    </div>
    <div v-if="volumeOptions.length > 1" class="line">
      <span>zonal volumes of replicas</span>
      <OneOf
        size="tiny"
        class="pick"
        name="zonal volumes of replicas"
        :value="stated.volume ?? ''"
        :options="volumeOptions"
        :disabled="!mayEdit"
        @update:value="keep({ volume: $event })"
      />
    </div>
    <div v-for="fee in fees" :key="fee.name" class="line">
      <NCheckbox
        :checked="!!stated.fees?.[fee.name]"
        :disabled="!mayEdit"
        @update:checked="setFee(fee.name, $event ? { per: WAYS[fee.unit]?.[0]?.[0] ?? 'study', count: 1 } : null)"
        >{{ fee.name }} <span class="quiet">{{ fee.price }} a {{ fee.unit }}</span></NCheckbox
      >
      <template v-if="stated.fees?.[fee.name]">
        <HeldInput
          :value="stated.fees[fee.name]?.count"
          inputmode="numeric"
          :may-edit="mayEdit"
          :check="(text) => wholeNumber(text, fee.name, left(fee.name) ? 0 : 1)"
          :aria-label="`how many of ${fee.name}`"
          @reason="reason = $event"
          @keep="(text, kept) => setFee(fee.name, { per: stated.fees?.[fee.name]?.per ?? 'study', count: Number(text) }, kept)"
        />
        <span v-if="(WAYS[fee.unit] ?? []).length === 1">{{ WAYS[fee.unit]?.[0]?.[1] }}</span>
        <OneOf
          v-else
          size="tiny"
          class="pick"
          :name="`by what ${fee.name} is counted`"
          :value="stated.fees[fee.name]?.per"
          :options="(WAYS[fee.unit] ?? []).map(([value, label]) => ({ value, label }))"
          :disabled="!mayEdit"
          @update:value="setFee(fee.name, { per: $event, count: stated.fees?.[fee.name]?.count ?? 1 })"
        />
      </template>
    </div>
    <p v-if="reason" class="madder" role="alert">{{ reason }}</p>
    <p v-if="fees.some((fee) => left(fee.name))" class="quiet">
      GiB a month. What a row sends stands in its column “traffic”; what the study states beyond that is shared evenly by replica; 0 counts
      the rows alone.
    </p>
    <p v-if="bill.left_out.length" class="amber">Not counted: {{ bill.left_out.join(', ') }}.</p>
    <p v-else class="quiet">Everything that the price list sells beside nodes is counted.</p>
  </section>
</template>

<style scoped>
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  align-items: center;
  padding: 4px 0;
  font-size: 12px;
  border-bottom: 1px solid var(--line);
}
.pick {
  width: 148px;
}
input {
  width: 58px;
  font: inherit;
  color: inherit;
  background: transparent;
  border: 0;
  border-bottom: 1px solid var(--line);
  text-align: right;
}
p {
  font-size: 12px;
  padding: 3px 0;
}
</style>
