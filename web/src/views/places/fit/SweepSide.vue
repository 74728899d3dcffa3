<script setup lang="ts">
import { computed, toRef } from 'vue'
import { sweepProblem, useSweepPoint, type Sweep } from '../../../api/sweeps'
import { exactMoney, percent } from '../../../domain/format'
import { poolName } from '../../../domain/nodes'
import { choiceName, valueWords } from '../../../domain/sweep'

/** What drives the cost of a sweep, and one of its fits. */
const props = defineProps<{ sweep: Sweep; chosen: number | null }>()
const point = computed(() => props.sweep.points.find((each) => each.number === props.chosen) ?? null)
const pools = useSweepPoint(
  toRef(() => props.sweep.id),
  computed(() => point.value?.number ?? null),
)
/** Where futures were drawn, shares are estimates. */
const drawn = computed(() => / drawn futures /.test(props.sweep.told))
const rest = computed(() => 1 - props.sweep.drivers.reduce((sum, each) => sum + each.share, 0))
const name = (driver: string) => ({ variants: 'which variant', regions: 'which region', promise: 'which promise' })[driver] ?? driver
</script>

<template>
  <section class="side">
    <h2>What drives the cost</h2>
    <template v-if="sweep.drivers.length">
      <div v-for="each in sweep.drivers" :key="each.name" class="bar">
        <span>{{ name(each.name) }}</span><i :style="{ width: `${110 * each.share}px` }" /><span class="number">{{
          percent(each.share, 0)
        }}</span>
      </div>
      <p class="quiet">
        Share of the variance of cost that each explains by itself (first-order sensitivity)<template v-if="rest > 0.005"
          >; the other {{ percent(rest, 0) }} are of several together{{ drawn ? ', or more than so few draws can tell' : '' }}</template
        >.
      </p>
    </template>
    <p v-else class="quiet">Told once every fit has a plan, and costs differ; of drawn futures from twenty on.</p>
    <template v-if="point">
      <h2>One of its fits</h2>
      <p>
        {{ sweep.outcomes[point.choice] ? choiceName(sweep.outcomes[point.choice]!) : ''
        }}<template v-if="point.brings.length">, {{ valueWords(point.brings) }}</template>
      </p>
      <p v-if="point.cost !== null">
        <strong>{{ exactMoney(point.cost) }} {{ sweep.currency }}</strong> a month, floor {{ exactMoney(point.floor ?? 0) }}
      </p>
      <p v-else class="madder">{{ point.reason || 'No plan was found; that is no proof that there is none.' }}</p>
      <table v-if="pools.data.value?.length">
        <thead>
          <tr>
            <th>pool</th>
            <th>zone</th>
            <th class="number">nodes</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="each in pools.data.value" :key="each.zone + poolName(each)">
            <td>{{ poolName(each) }}</td>
            <td>{{ each.zone }}</td>
            <td class="number">{{ each.nodes }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="point.status !== 'refused'"><a :href="sweepProblem(sweep.id, point.number)" download>its problem as a file</a></p>
    </template>
    <p v-else-if="sweep.points.length" class="quiet">Choose a mark or a line to see its nodes.</p>
  </section>
</template>

<style scoped>
.side {
  display: grid;
  gap: 8px;
  align-content: start;
}
.bar {
  display: grid;
  grid-template-columns: 112px 114px 40px;
  gap: 6px;
  align-items: center;
  font-size: 12px;
}
.bar i {
  display: block;
  height: 9px;
  min-width: 1px;
  background: var(--petrol);
}
p,
td {
  font-size: 12px;
}
</style>
