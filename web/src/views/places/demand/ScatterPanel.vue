<script setup lang="ts">
import { computed, ref, toRef } from 'vue'
import type { Workload } from '../../../api/client'
import { useMatrix } from '../../../api/catalogue'
import { useSize } from '../../../composables/useSize'
import { layout } from '../../../pictures/scatter/layout'
import Scatter from '../../../pictures/scatter/Scatter.vue'

/** Requests against the families on offer: which slope the demand has, before capacity of another slope is bought. */
const props = defineProps<{ variant: number; region: number | null; rows: Workload[]; level: string; chosen: string | null }>()
const emit = defineEmits<{ choose: [key: string] }>()
const matrix = useMatrix(toRef(props, 'variant'), toRef(props, 'region'))
const types = computed(() => matrix.data.value?.types ?? [])
const canvas = ref<HTMLElement | null>(null)
const { width, height } = useSize(canvas)
const drawn = computed(() => layout(props.rows, types.value, props.level, 300, 300))
const words = computed(() => {
  const whole = drawn.value.whole
  if (!whole) return ''
  const near = [...drawn.value.rays].sort(
    (a, b) => Math.abs(Math.log(a.gibPerVcpu / whole.gibPerVcpu)) - Math.abs(Math.log(b.gibPerVcpu / whole.gibPerVcpu)),
  )[0]
  const base = `All requests together: ${whole.gibPerVcpu.toFixed(1)} GiB for each vCPU.`
  return near ? `${base} Nearest family: ${near.family}, ${near.gibPerVcpu.toFixed(1)} usable.` : base
})
</script>

<template>
  <section class="scatter" aria-label="requests by CPU and memory">
    <h2>CPU and memory</h2>
    <div ref="canvas" class="canvas">
      <Scatter
        :rows="rows"
        :types="types"
        :level="level"
        :width="width"
        :height="height"
        :chosen="chosen"
        @choose="emit('choose', $event)"
      />
    </div>
    <p class="quiet">{{ words }} Dots far off every line leave capacity that nobody can use unless others make up for it.</p>
  </section>
</template>

<style scoped>
.scatter {
  display: grid;
  grid-template-rows: auto 1fr auto;
  gap: 6px;
  padding: 8px 2px 10px 14px;
  min-height: 0;
}
.canvas {
  min-height: 0;
  overflow: hidden;
}
p {
  font-size: 12px;
}
</style>
