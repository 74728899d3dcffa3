<script setup lang="ts">
import { scaleLinear } from 'd3-scale'
import { computed } from 'vue'
import type { DrillPlay } from '../../api/drills'
import { clock, notServing } from '../../domain/drill'
import { plural } from '../../domain/format'

/** Replicas that do not serve after every event, one step an event; the moment shown is chosen by a slider beneath. */
const props = defineProps<{ play: DrillPlay; width: number }>()
const moment = defineModel<number>({ required: true })
const HEIGHT = 54
const bars = computed(() => notServing(props.play))
const across = computed(() => scaleLinear([0, Math.max(1, props.play.events.length)], [8, props.width - 8]))
const up = computed(() => scaleLinear([0, Math.max(1, ...bars.value)], [HEIGHT - 2, 10]))
const path = computed(() => {
  const steps = bars.value.map((value, place) => `${place ? 'H' : 'M'}${across.value(place)}${place ? 'V' : ' '}${up.value(value)}`)
  return `${steps.join('')}V${HEIGHT - 2}H${across.value(0)}Z`
})
const event = computed(() => props.play.events[moment.value - 1] ?? null)
const told = computed(() => (event.value ? `${clock(event.value.at_s)}: ${event.value.words}` : 'before it begins'))
</script>

<template>
  <div class="timeline">
    <p class="told">
      <strong>{{ event ? clock(event.at_s) : '0 s' }}</strong> {{ event?.words ?? 'before it begins' }}
      <span class="quiet">· step {{ moment }} of {{ play.events.length }} · {{ plural(bars[moment] ?? 0, 'replica') }} not serving</span>
    </p>
    <svg :width="width" :height="HEIGHT" aria-hidden="true">
      <path :d="path" class="down" />
      <line :x1="across(moment)" :x2="across(moment)" y1="4" :y2="HEIGHT" class="now" />
    </svg>
    <input
      v-model.number="moment"
      type="range"
      min="0"
      :max="play.events.length"
      step="1"
      aria-label="moment of the drill"
      :aria-valuetext="told"
      :style="{ width: `${width}px` }"
    />
  </div>
</template>

<style scoped>
.timeline {
  border-top: 1px solid var(--line);
  padding-top: 4px;
}
.told {
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  padding: 0 8px;
}
.down {
  fill: var(--madderWash);
  stroke: var(--madder);
}
.now {
  stroke: var(--ink);
  stroke-width: 1.6;
}
input {
  display: block;
  margin: 0;
  accent-color: var(--ink);
}
</style>
