<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Alternative } from '../../../api/client'
import { percent, plural, price } from '../../../domain/format'
import OpenSheet from '../../../ui/OpenSheet.vue'

/** Why no other instance type: how much dearer each is at this fit's prices, and the price below which it would enter. */
const props = defineProps<{ types: Alternative[]; currency: string }>()
const others = computed(() => props.types.filter((row) => row.status !== 'chosen'))
const near = computed(() => others.value.filter((row) => row.status !== 'never needed').slice(0, 4))
const open = ref(false)

function why(row: Alternative): string {
  if (row.status === 'chosen') return plural(row.nodes, 'node')
  if (row.status === 'carries nothing') return 'none of these workloads fits on it or may run there'
  if (row.status === 'never needed') return `${row.beside} has at least as much and costs no more`
  if (row.status === 'as good') return `as cheap as ${row.beside}; in whole nodes it brought nothing`
  return `${percent(row.dearer)} dearer than ${row.beside} for what it could carry`
}
</script>

<template>
  <div>
    <h3>why no other type</h3>
    <table>
      <tbody>
        <tr
          v-for="row in near"
          :key="row.instance_type + row.purchase"
          :title="`In ${row.zone}: ${price(row.price_per_hour)} ${currency} an hour; only below ${price(row.enters_at_per_hour)} could it make a cheaper plan.`"
        >
          <td>
            <strong>{{ row.instance_type }}</strong><span v-if="row.purchase !== 'on-demand'" class="quiet"> {{ row.purchase }}</span
            ><span class="quiet why">{{ why(row) }}</span>
          </td>
          <td class="number">{{ row.status === 'dearer' ? `would be chosen below ${price(row.enters_at_per_hour)}` : '' }}</td>
        </tr>
      </tbody>
    </table>
    <button type="button" class="plain-button madder" @click="open = true">all {{ types.length }} types on offer</button>
    <OpenSheet v-model:show="open" title="Every type beside this fit" :width="760">
      <p class="quiet">
        A node of each type is filled with its best load at the prices this fit puts on every replica. A type whose best load is worth less
        than its price cannot make the plan cheaper; it would have to cost less than that worth.
      </p>
      <div class="all">
        <table>
          <thead>
            <tr>
              <th>type</th>
              <th>purchase</th>
              <th>best in</th>
              <th class="number">{{ currency }} an hour</th>
              <th class="number">would be chosen below</th>
              <th>why</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in types" :key="row.instance_type + row.purchase">
              <td>
                <strong>{{ row.instance_type }}</strong>
              </td>
              <td>{{ row.purchase }}</td>
              <td>{{ row.zone }}</td>
              <td class="number">{{ price(row.price_per_hour) }}</td>
              <td class="number">{{ row.status === 'chosen' || row.status === 'carries nothing' ? '' : price(row.enters_at_per_hour) }}</td>
              <td>{{ why(row) }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </OpenSheet>
  </div>
</template>

<style scoped>
td,
th {
  padding: 3px;
  font-size: 12px;
  vertical-align: top;
}
.why {
  display: block;
  font-size: 11px;
}
.number {
  white-space: nowrap;
}
.all {
  max-height: 60vh;
  overflow: auto;
  margin-top: 10px;
}
.plain-button {
  font-size: 12px;
  padding-top: 4px;
}
</style>
