<script setup lang="ts">
import { useEventListener } from '@vueuse/core'
import { columns, type Column, type Sorting } from '../../../domain/sheet'

/** The heads of the sheet's columns: a click sorts, dragging an edge sets a width. */
const props = defineProps<{ template: string; width: string; scrolled: number; sorting: Sorting | null; mayEdit: boolean }>()
const emit = defineEmits<{ sort: [column: Column]; resize: [place: number, by: number] }>()

function drag(event: PointerEvent, place: number): void {
  const edge = event.currentTarget as HTMLElement
  edge.setPointerCapture(event.pointerId)
  let last = event.clientX
  const move = (now: PointerEvent) => {
    emit('resize', place, now.clientX - last)
    last = now.clientX
  }
  const stop = useEventListener(edge, 'pointermove', move)
  useEventListener(edge, 'pointerup', stop, { once: true })
}
function order(name: Column): 'ascending' | 'descending' | 'none' {
  return props.sorting?.column !== name ? 'none' : props.sorting.down ? 'descending' : 'ascending'
}
</script>

<template>
  <div class="head">
    <div class="line" role="row" :style="{ gridTemplateColumns: template, width, transform: `translateX(${-scrolled}px)` }">
      <span
        v-for="(column, place) in columns"
        :key="column.name"
        role="columnheader"
        :aria-sort="order(column.name)"
        class="title"
        :class="{ number: 'number' in column }"
        :style="place < 2 ? { transform: `translateX(${scrolled}px)`, zIndex: 1 } : undefined"
      >
        <button type="button" tabindex="-1" class="plain-button" :title="`sort by ${column.title}`" @click="emit('sort', column.name)">
          {{ column.title }}<template v-if="order(column.name) !== 'none'"> {{ sorting?.down ? '↓' : '↑' }}</template>
        </button>
        <i class="edge" aria-hidden="true" @pointerdown.prevent="drag($event, place)" />
      </span>
      <span v-if="mayEdit" role="columnheader"><span class="unseen">remove</span></span>
    </div>
  </div>
</template>

<style scoped>
.head {
  overflow: hidden;
  border-bottom: 1px solid var(--line);
}
.line {
  display: grid;
  align-items: center;
  height: 26px;
  color: var(--quiet);
  font-size: 12px;
}
.title {
  position: relative;
  height: 25px;
  line-height: 25px;
  padding: 0 6px;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
  background: var(--paper);
}
.title button {
  color: inherit;
  font-size: 12px;
  max-width: 100%;
  overflow: hidden;
  text-overflow: ellipsis;
}
.edge {
  position: absolute;
  right: 0;
  top: 4px;
  bottom: 4px;
  width: 6px;
  border-right: 1px solid var(--line);
  cursor: col-resize;
  touch-action: none;
}
</style>
