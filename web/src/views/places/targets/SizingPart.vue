<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, toRef } from 'vue'
import type { BenchActions } from '../../../api/bench'
import { underWay, type Bench, type Schemas } from '../../../api/client'
import { useInquiry } from '../../../api/inquiries'
import { exactMoney, plural } from '../../../domain/format'
import { felt } from '../../../domain/minutes'
import { survivalWords } from '../../../domain/words'
import InquiryLine from '../../../ui/InquiryLine.vue'
import Reason from '../../../ui/Reason.vue'
import SizesTable from './SizesTable.vue'

/** The inverse: fewest replicas and loosest ways that meet every target, really fitted; or why a target is out of reach. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean; points: Schemas['FrontierPointOut'][] }>()
const inquiry = useInquiry(
  toRef(() => props.bench.variant.id),
  'sizing',
)
const answer = computed(() => inquiry.now.value?.sizing ?? null)
/** Points of the frontier that meet every target for less, by giving up a promise: sizing keeps them all. */
const cheaper = computed(() => {
  const own = answer.value
  if (!own?.cost || own.missed.length) return null
  const fine = props.points.filter(
    (point) =>
      Number(point.cost) < Number(own.cost) - 0.005 &&
      own.journeys.every((entry) => (point.downtime[entry.name] ?? Infinity) <= entry.allowed),
  )
  return fine.sort((a, b) => Number(a.cost) - Number(b.cost))[0] ?? null
})
const sized = computed(() => Object.keys(props.bench.variant.sizes).length)
const difference = computed(() => (answer.value?.cost ? Number(answer.value.cost) - Number(answer.value.cost_before) : null))
</script>

<template>
  <h2>Size to the targets</h2>
  <p class="quiet">
    The fewest replicas on top and the loosest ways to survive a zone with which every journey keeps its target, at the prices of this fit;
    then fitted, and computed exactly over that fit.
  </p>
  <InquiryLine
    :inquiry="inquiry.now.value"
    :may-edit="mayEdit"
    doing="working:"
    @stop="inquiry.stop.mutate($event)"
    @ask="inquiry.ask.mutate()"
  />
  <NButton
    v-if="mayEdit && bench.fit_is_current && !underWay(inquiry.now.value)"
    size="small"
    :type="answer ? 'default' : 'primary'"
    @click="inquiry.ask.mutate()"
    >{{ answer ? 'Size again' : 'Size to the targets' }}</NButton
  >
  <template v-if="answer">
    <p v-if="!inquiry.now.value?.is_current" class="amber">Answered before the last change.</p>
    <Reason
      title="What it costs"
      :lines="[
        `This fit ${exactMoney(answer.cost_before)}, the sized one ${answer.cost ? exactMoney(answer.cost) : 'none'} ${bench.study.currency} a month: both really fitted.`,
        `At this fit’s price of a replica the change was thought to cost ${exactMoney(answer.guessed)}; no choice that meets the targets costs less than ${exactMoney(answer.least)} at those prices${answer.exact ? ', as every choice was tried' : ' (bound by dynamic programming)'}.`,
        `${plural(answer.fits, 'fit')} made: where nodes are shared by more than was thought, targets are tightened and fitted again. Downtime is that of the very fit that is applied.`,
      ]"
    >
      <span v-if="difference !== null" class="big">{{
        difference >= 0.005
          ? `${exactMoney(difference)} ${bench.study.currency} a month more`
          : difference <= -0.005
            ? `${exactMoney(-difference)} ${bench.study.currency} a month less`
            : 'no dearer'
      }}</span>
      <span v-else class="big madder">no fit: {{ answer.reasons[0] }}</span>
    </Reason>
    <table>
      <thead>
        <tr>
          <th>journey</th>
          <th class="number">downtime, sized</th>
          <th class="number">allowed</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="entry in answer.journeys" :key="entry.name">
          <td>{{ entry.name }}</td>
          <td class="number">
            <strong :class="{ madder: answer.missed.includes(entry.name) }">{{
              entry.downtime === null ? '—' : felt(entry.downtime)
            }}</strong>
          </td>
          <td class="number quiet">{{ felt(entry.allowed) }}</td>
        </tr>
      </tbody>
    </table>
    <div v-for="entry in answer.unreachable" :key="entry.journey" class="unreachable">
      <h3 class="madder">{{ entry.journey }} cannot keep its target here</h3>
      <p v-for="reason in entry.reasons" :key="reason">{{ reason }}</p>
      <ul>
        <li v-for="way in entry.remedies" :key="way.words">
          {{ way.words }}
          <span class="quiet">{{ way.suffices ? `enough: ${felt(way.least)}` : `not enough alone: ${felt(way.least)}` }}</span>
        </li>
      </ul>
    </div>
    <template v-if="answer.changed.length">
      <h3>what changes</h3>
      <table>
        <thead>
          <tr>
            <th>workload</th>
            <th class="number">replicas</th>
            <th>survives a zone</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in answer.changed" :key="row.workload">
            <td>{{ row.workload }}</td>
            <td class="number">
              {{ row.replicas }}<strong v-if="row.extra"> +{{ row.extra }}</strong>
            </td>
            <td>
              {{ row.how === row.how_before ? survivalWords[row.how] : `${survivalWords[row.how_before]} → ${survivalWords[row.how]}`
              }}<span v-if="row.most_per_node" class="quiet"> · at most {{ row.most_per_node }} on a node</span>
            </td>
          </tr>
        </tbody>
      </table>
      <NButton
        v-if="mayEdit && answer.cost && !answer.missed.length"
        size="small"
        type="primary"
        @click="actions.change.mutate({ sizes: answer.sizes })"
        >Apply these sizes</NButton
      >
    </template>
    <p v-if="cheaper" class="quiet">
      {{ exactMoney(Number(answer.cost) - Number(cheaper.cost)) }} {{ bench.study.currency }} a month less would do if
      {{ plural(cheaper.gives_up.length, 'workload') }} survived the loss of a zone less strictly than promised: a point of the frontier
      beside.
    </p>
    <p v-if="answer.missed.length && answer.cost" class="madder">
      No fit found meets {{ answer.missed.length === 1 ? 'the target of' : 'the targets of' }} {{ answer.missed.join(', ') }}: this one
      comes nearest and is not offered.
    </p>
    <p v-else-if="answer.cost && !answer.changed.length" class="quiet">
      Nothing changes: this fit meets every target, and no cheaper one that does was found.
    </p>
  </template>
  <div v-if="sized" class="taken">
    <h3>sizes applied to this variant</h3>
    <SizesTable :sizes="bench.variant.sizes" />
    <NButton v-if="mayEdit" size="small" @click="actions.change.mutate({ sizes: {} })">Restore the sizes asked for</NButton>
  </div>
</template>

<style scoped>
p {
  font-size: 12px;
}
.big {
  font-size: 17px;
  font-weight: 680;
  font-variant-numeric: tabular-nums;
}
table {
  width: 100%;
}
td,
th {
  padding: 3px 6px 3px 0;
  font-size: 12px;
}
.amber {
  color: var(--amber);
}
.unreachable {
  border-left: 3px solid var(--madder);
  padding-left: 10px;
  display: grid;
  gap: 4px;
}
ul {
  margin: 0;
  padding-left: 16px;
  font-size: 12px;
}
li {
  padding: 1px 0;
}
.taken {
  display: grid;
  gap: 6px;
  justify-items: start;
  border-top: 1px solid var(--line);
  padding-top: 8px;
  width: 100%;
}
</style>
