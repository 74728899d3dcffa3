<script setup lang="ts">
import { ref } from 'vue'
import type { Bench, Schemas } from '../../../api/client'
import { wholeNumber } from '../../../domain/typed'
import HeldInput from '../../../ui/HeldInput.vue'

/** What is asked of the nodes of each family sold in the region: a taint they carry, and the most of them. */
const props = defineProps<{ bench: Bench; mayEdit: boolean }>()
const emit = defineEmits<{ change: [rules: Record<string, Schemas['FamilyRule']>, kept: () => void] }>()
const empty = { taint: '', most_nodes: null, most_in_zone: null }
const rule = (family: string): Schemas['FamilyRule'] => props.bench.variant.family_rules[family] ?? empty

const reason = ref('')

function set(family: string, field: 'taint' | 'most_nodes' | 'most_in_zone', text: string, kept: () => void): void {
  const value = field === 'taint' ? text : text === '' ? null : Number(text)
  emit('change', { ...props.bench.variant.family_rules, [family]: { ...rule(family), [field]: value } }, kept)
}
</script>

<template>
  <div>
    <table>
      <thead>
        <tr>
          <th>family</th>
          <th>its nodes carry the taint</th>
          <th class="number">max in the region</th>
          <th class="number">max in a zone</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="family in bench.variant.sold_families.slice(0, 40)" :key="family">
          <td>
            <strong>{{ family }}</strong>
          </td>
          <td>
            <HeldInput
              :value="rule(family).taint"
              :may-edit="mayEdit"
              placeholder="key=value:NoSchedule"
              :aria-label="`taint of ${family}`"
              @keep="(text, kept) => set(family, 'taint', text, kept)"
            />
          </td>
          <td class="number">
            <HeldInput
              class="count"
              inputmode="numeric"
              :value="rule(family).most_nodes"
              :may-edit="mayEdit"
              placeholder="no limit"
              :aria-label="`most ${family} nodes in the region`"
              :check="(text) => wholeNumber(text, `the most ${family} nodes`, 1, 'no limit')"
              @reason="reason = $event"
              @keep="(text, kept) => set(family, 'most_nodes', text, kept)"
            />
          </td>
          <td class="number">
            <HeldInput
              class="count"
              inputmode="numeric"
              :value="rule(family).most_in_zone"
              :may-edit="mayEdit"
              placeholder="no limit"
              :aria-label="`most ${family} nodes in a zone`"
              :check="(text) => wholeNumber(text, `the most ${family} nodes`, 1, 'no limit')"
              @reason="reason = $event"
              @keep="(text, kept) => set(family, 'most_in_zone', text, kept)"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="reason" class="madder" role="alert">{{ reason }}</p>
    <p class="quiet">
      A taint keeps off what does not tolerate it; daemon workloads run there all the same. Tolerations stand with each workload, under
      Manners.
    </p>
  </div>
</template>

<style scoped>
input {
  font: inherit;
  color: inherit;
  background: transparent;
  border: 0;
  border-bottom: 1px solid var(--line);
  width: 100%;
  padding: 2px 0;
}
input.count {
  width: 64px;
  text-align: right;
}
td,
th {
  padding: 3px 6px 3px 0;
}
p {
  padding-top: 5px;
  font-size: 12px;
}
</style>
