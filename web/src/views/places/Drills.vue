<script setup lang="ts">
import { NButton, useMessage } from 'naive-ui'
import { computed, ref, toRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { isPlan, underWay, type Bench, type Inquiry, type Problem } from '../../api/client'
import { useDrillPlay, useOwnDrills, type DrillStep } from '../../api/drills'
import { useKeys } from '../../composables/useKeys'
import { useSize } from '../../composables/useSize'
import { fullest, momentOf } from '../../domain/drill'
import DrillLanes from '../../pictures/drill/DrillLanes.vue'
import DrillTimeline from '../../pictures/drill/DrillTimeline.vue'
import FaultList from '../../ui/FaultList.vue'
import InquiryLine from '../../ui/InquiryLine.vue'
import DrillReadOut from './drills/DrillReadOut.vue'
import DrillSentence from './drills/DrillSentence.vue'
import MarkWord from './drills/MarkWord.vue'

/** The drill book at the left, the moment of a drill in the middle, its read-out at the right; the address carries drill and moment. */
const props = defineProps<{ bench: Bench; inquiry: Inquiry | null; mayEdit: boolean }>()
const emit = defineEmits<{ ask: []; stop: [id: number] }>()
const route = useRoute()
const router = useRouter()
const message = useMessage()
const middle = ref<HTMLElement | null>(null)
const size = useSize(middle)
const own = useOwnDrills(toRef(() => props.bench.study.id))
const composing = ref(false)
const begin = ref<Partial<DrillStep> | null>(null)

const fit = computed(() => (isPlan(props.bench.fit) ? props.bench.fit : null))
/** The newest book of which something is known: while one is played anew the last one stays to be looked at. */
const known = ref<Inquiry | null>(null)
watch(
  () => [props.inquiry, props.bench.variant.id] as const,
  ([inquiry, variant], before) => {
    if (before && before[1] !== variant) known.value = null
    if (inquiry && (inquiry.drills?.results.length || !underWay(inquiry))) known.value = inquiry
  },
  { immediate: true },
)
const book = computed(() => known.value?.drills ?? null)
const results = computed(() => book.value?.results ?? [])
const number = computed(() => {
  const named = results.value.findIndex((result) => result.drill.name === route.query.drill)
  return named >= 0 ? named : results.value.length ? 0 : -1
})
const result = computed(() => results.value[number.value] ?? null)
const play = useDrillPlay(
  computed(() => known.value?.id ?? 0),
  number,
)
const last = computed(() => play.data.value?.events.length ?? 0)
const moment = computed({
  get: () => Math.min(Number(route.query.moment ?? last.value) || 0, last.value),
  set: (value: number) => void router.replace({ query: { ...route.query, moment: String(value) } }),
})
const shown = computed(() => (play.data.value ? momentOf(play.data.value, moment.value) : null))
const most = computed(() => (play.data.value ? fullest(play.data.value) : 1))
const names = computed(() => new Set(own.drills.value.map((drill) => drill.name)))
const dependencies = computed(() => [
  ...new Set(results.value.flatMap((entry) => entry.drill.steps.flatMap((step) => step.dependency || []))),
])

/** Show what stood at a time: after the last event up to it. */
function momentAt(seconds: number): void {
  moment.value = (play.data.value?.events ?? []).filter((event) => event.at_s <= seconds + 1e-6).length
}
function choose(name: string): void {
  void router.replace({ query: { drill: name } })
}
function plain(): { name: string; steps: DrillStep[] }[] {
  return own.drills.value.map(({ name, steps }) => ({ name, steps: steps.map((step) => ({ ...step, chosen: undefined }) as DrillStep) }))
}
function keep(drill: { name: string; steps: DrillStep[] }): void {
  own.keep.mutate([...plain(), drill], {
    onSuccess: () => {
      composing.value = false
      emit('ask')
      choose(drill.name)
    },
  })
}
function drop(name: string): void {
  own.keep.mutate(
    plain().filter((drill) => drill.name !== name),
    { onSuccess: () => emit('ask') },
  )
}
watch(own.keep.error, (error) => error && message.error(error.message))
// "Drill this", from a node or a lane of the fit.
watch(
  () => route.query.compose,
  (kind) => {
    if (typeof kind !== 'string') return
    const { type, purchase, zone } = route.query as Record<string, string | undefined>
    begin.value = {
      kind: kind as DrillStep['kind'],
      ...(type ? { instance_type: type, purchase: purchase as DrillStep['purchase'] } : {}),
      ...(zone ? { zone } : {}),
    }
    composing.value = true
  },
  { immediate: true },
)
useKeys((event) => {
  if (!play.data.value || event.target instanceof HTMLInputElement) return false
  if (event.key === 'ArrowRight') moment.value = Math.min(last.value, moment.value + 1)
  else if (event.key === 'ArrowLeft') moment.value = Math.max(0, moment.value - 1)
  else return false
  return true
})
</script>

<template>
  <div class="drills">
    <aside class="book" tabindex="0" aria-label="drill book">
      <div class="head">
        <h2>Drill book</h2>
        <NButton v-if="mayEdit && fit && !composing" size="tiny" @click="composing = true">Compose</NButton>
      </div>
      <DrillSentence
        v-if="composing && fit"
        :bench="bench"
        :dependencies="dependencies"
        :taken="results.map((entry) => entry.drill.name)"
        :busy="own.keep.isPending.value"
        :begin="begin"
        @keep="keep"
        @close="composing = false"
      />
      <FaultList v-if="own.keep.error.value && 'faults' in own.keep.error.value" :faults="(own.keep.error.value as Problem).faults" />
      <InquiryLine :inquiry="inquiry" :may-edit="mayEdit" doing="played" @ask="emit('ask')" @stop="emit('stop', $event)" />
      <p v-if="inquiry && !inquiry.is_current && !underWay(inquiry)" class="quiet">
        Played before the last change. <NButton v-if="mayEdit && bench.fit_is_current" size="tiny" @click="emit('ask')">Play again</NButton>
      </p>
      <p v-else-if="!inquiry" class="quiet">{{ fit ? 'The book is played after the next fit.' : 'There is no fit to break yet.' }}</p>
      <ul>
        <li v-for="(entry, place) in results" :key="entry.drill.name" :class="{ here: place === number }">
          <button type="button" class="plain-button entry" :aria-current="place === number" @click="choose(entry.drill.name)">
            <MarkWord :mark="entry.mark" />
            <span class="name">{{ entry.drill.name }}</span>
            <span v-if="entry.reason" class="quiet reason">{{ entry.reason }}</span>
          </button>
          <NButton
            v-if="mayEdit && names.has(entry.drill.name)"
            size="tiny"
            quaternary
            :aria-label="`leave out: ${entry.drill.name}`"
            @click="drop(entry.drill.name)"
            >×</NButton
          >
        </li>
        <li v-for="entry in book?.unplayable ?? []" :key="entry.name">
          <span class="entry">
            <span class="name">{{ entry.name }}</span>
            <span class="madder reason">does not fit this plan: {{ entry.reason }} {{ entry.fix }}</span>
          </span>
          <NButton v-if="mayEdit" size="tiny" quaternary :aria-label="`leave out: ${entry.name}`" @click="drop(entry.name)">×</NButton>
        </li>
      </ul>
    </aside>
    <section class="middle">
      <div ref="middle" class="canvas">
        <DrillLanes
          v-if="shown && fit"
          :moment="shown"
          :fullest="most"
          :zones="fit.zones"
          :width="size.width.value"
          :height="size.height.value - 26"
        />
        <p v-else-if="results.length" class="quiet empty">What happened is fetched.</p>
        <p v-else class="quiet empty">
          A plan is believed when it has been broken on purpose. Losses and changes are played here on the fit, moment by moment.
        </p>
      </div>
      <DrillTimeline v-if="play.data.value" v-model="moment" :play="play.data.value" :width="size.width.value" />
    </section>
    <aside class="right" tabindex="0" aria-label="read-out of the drill">
      <DrillReadOut v-if="result" :result="result" @moment="momentAt" />
    </aside>
  </div>
</template>

<style scoped>
.drills {
  display: grid;
  grid-template-columns: minmax(250px, 300px) minmax(420px, 1fr) minmax(270px, 330px);
  height: 100%;
}
.book,
.right {
  overflow: auto;
  padding: 10px 14px;
}
.middle {
  display: grid;
  grid-template-rows: 1fr auto;
  min-height: 0;
  padding: 8px 10px 6px;
  border-left: 1px solid var(--line);
  border-right: 1px solid var(--line);
}
.canvas {
  min-height: 0;
  overflow: hidden;
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  padding-bottom: 6px;
}
ul {
  list-style: none;
  margin: 6px 0;
  padding: 0;
}
li {
  display: flex;
  align-items: flex-start;
  border-bottom: 1px solid var(--line);
}
li.here {
  background: var(--wash);
  box-shadow: inset 3px 0 0 var(--madder);
}
.entry {
  flex: 1;
  display: grid;
  grid-template-columns: 76px 1fr;
  gap: 0 6px;
  padding: 6px 8px;
  text-align: left;
}
.entry > .name:first-child {
  grid-column: 1 / -1;
}
.reason {
  grid-column: 1 / -1;
  font-size: 12px;
}
.empty {
  padding: 40px;
}
</style>
