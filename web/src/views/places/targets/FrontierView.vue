<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref, toRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { tightest, useAvailability } from '../../../api/availability'
import type { BenchActions } from '../../../api/bench'
import { underWay, type Bench } from '../../../api/client'
import { useInquiry } from '../../../api/inquiries'
import { useEscape } from '../../../composables/useKeys'
import { useSize } from '../../../composables/useSize'
import { exactMoney, plural } from '../../../domain/format'
import { felt } from '../../../domain/minutes'
import FrontierPicture from '../../../pictures/frontier/FrontierPicture.vue'
import InquiryLine from '../../../ui/InquiryLine.vue'
import SizesTable from './SizesTable.vue'
import SizingPart from './SizingPart.vue'
import OneOf from '../../../ui/OneOf.vue'

/** Cost of availability: the frontier of computed fits, and the sizes that meet every target. */
const props = defineProps<{ bench: Bench; actions: BenchActions; mayEdit: boolean }>()
const route = useRoute()
const router = useRouter()
const variant = toRef(() => props.bench.variant.id)
const answer = useAvailability(
  variant,
  toRef(() => props.bench.fit?.id ?? 0),
)
const frontier = useInquiry(variant, 'frontier')
const canvas = ref<HTMLElement | null>(null)
const size = useSize(canvas)
const journeys = computed(() => answer.data.value?.journeys ?? [])
const journey = computed(
  () => journeys.value.find((entry) => entry.name === route.query.journey) ?? tightest(answer.data.value) ?? journeys.value[0] ?? null,
)
const points = computed(() => Object.values(frontier.now.value?.frontier?.points ?? {}))
const chosen = ref<number | null>(null)
const point = computed(() => points.value.find((entry) => entry.index === chosen.value) ?? null)
const missed = computed(() =>
  journeys.value
    .filter((entry) => entry.stated && (point.value?.downtime[entry.name] ?? 0) > entry.allowed_minutes * (1 + 1e-9))
    .map((entry) => entry.name),
)
useEscape(
  () => chosen.value !== null,
  () => (chosen.value = null),
)
const waits = computed(() => underWay(frontier.now.value))
</script>

<template>
  <div class="minutes">
    <section class="left">
      <div class="head">
        <h2>Cost of availability</h2>
        <OneOf
          v-if="journey"
          size="small"
          class="pick"
          :value="journey.name"
          :options="journeys.map((entry) => ({ value: entry.name, label: entry.name }))"
          name="journey of the picture"
          @update:value="router.replace({ query: { ...route.query, journey: $event } })"
        />
        <NButton v-if="mayEdit && journey && bench.fit_is_current && !waits" size="small" @click="frontier.ask.mutate()">{{
          points.length ? 'Compute anew' : 'Compute the frontier'
        }}</NButton>
        <span v-if="frontier.now.value && !frontier.now.value.is_current && points.length" class="quiet">before the last change</span>
      </div>
      <InquiryLine
        :inquiry="frontier.now.value"
        :may-edit="mayEdit"
        doing="fitting point"
        @stop="frontier.stop.mutate($event)"
        @ask="frontier.ask.mutate()"
      />
      <div ref="canvas" class="canvas">
        <FrontierPicture
          v-if="journey && bench.fit && points.length"
          :points="points"
          :journey="journey"
          :cost="Number(bench.fit.cost_per_month)"
          :currency="bench.study.currency"
          :width="size.width.value"
          :height="size.height.value"
          :chosen="chosen"
          @choose="chosen = $event === chosen ? null : $event"
        />
        <p v-else class="quiet empty">
          {{
            journey
              ? 'Twelve budgets of downtime, from nothing promised to the least that can be had; each is sized, really fitted and computed exactly. Points appear as they come, and fits go before them.'
              : 'State a journey first, under Journeys.'
          }}
        </p>
      </div>
      <p class="quiet key">
        a diamond is a computed fit, hollow: this variant · cheaper to the left, less downtime below · workloads of journeys promise only
        what their budget needs, all others as in this variant
      </p>
      <div v-if="points.length" class="unseen">
        <table>
          <caption>
            Every point of the frontier
          </caption>
          <thead>
            <tr>
              <th>cost a month</th>
              <th v-for="entry in journeys" :key="entry.name">{{ entry.name }}, min a month</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="entry in points" :key="entry.index">
              <td>{{ entry.cost }}</td>
              <td v-for="each in journeys" :key="each.name">{{ entry.downtime[each.name] }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>
    <aside class="right">
      <template v-if="point">
        <div class="head">
          <h2>{{ exactMoney(point.cost) }} {{ bench.study.currency }} a month</h2>
          <button type="button" class="plain-button quiet" aria-label="close the point" @click="chosen = null">×</button>
        </div>
        <p class="quiet">floor {{ exactMoney(point.floor) }}, {{ plural(point.replicas, 'replica') }}</p>
        <table>
          <tbody>
            <tr v-for="entry in journeys" :key="entry.name">
              <td>{{ entry.name }}</td>
              <td class="number">
                <strong>{{ felt(point.downtime[entry.name] ?? 0) }}</strong>
              </td>
              <td class="number quiet">{{ entry.stated ? `of ${felt(entry.allowed_minutes)}` : '' }}</td>
            </tr>
          </tbody>
        </table>
        <SizesTable :sizes="point.sizes" />
        <p v-if="point.gives_up.length" class="amber">
          Survives the loss of a zone less strictly than promised: {{ point.gives_up.join(', ') }}.
        </p>
        <p v-if="missed.length" class="madder">
          Misses the target of {{ missed.join(', ') }}: not offered. Lower the target under Journeys to use it.
        </p>
        <NButton v-else-if="mayEdit" size="small" type="primary" @click="actions.change.mutate({ sizes: point.sizes })"
          >Apply these sizes</NButton
        >
      </template>
      <SizingPart v-else :bench="bench" :actions="actions" :may-edit="mayEdit" :points="frontier.now.value?.is_current ? points : []" />
    </aside>
  </div>
</template>

<style scoped>
.minutes {
  display: grid;
  grid-template-columns: minmax(480px, 1fr) 380px;
  height: 100%;
  min-height: 0;
}
.left {
  padding: 10px 18px;
  display: flex;
  flex-direction: column;
  min-height: 0;
  gap: 4px;
}
.head {
  display: flex;
  gap: 12px;
  align-items: center;
}
.pick {
  width: 210px;
}
.right .head {
  justify-content: space-between;
}
.canvas {
  flex: 1;
  min-height: 0;
  overflow: hidden;
}
.empty {
  padding: 40px 60px;
  max-width: 640px;
}
.key {
  font-size: 12px;
}
.right {
  border-left: 1px solid var(--line);
  padding: 12px 16px;
  overflow: auto;
  display: grid;
  gap: 9px;
  align-content: start;
  justify-items: start;
}
.right > * {
  max-width: 100%;
}
.right > table,
.right > .head {
  width: 100%;
}
td,
p {
  font-size: 12px;
}
td {
  padding: 3px 6px 3px 0;
}
.amber {
  color: var(--amber);
}
</style>
