<script setup lang="ts">
import { computed } from 'vue'
import { DOINGS, partName } from '../../domain/build'
import { rows, type Mark, type Part } from './layout'

/** A build line by line, one small romb for each part: full where it stands, half where it is under way, hollow where it waits, crossed where it is stuck. */
const props = defineProps<{ parts: Part[] }>()
const WORDS: Record<Mark, string> = {
  done: 'done',
  running: 'under way',
  stuck: 'stuck',
  waiting: 'waiting',
  back: 'taken back',
}
const shown = computed(() => rows(props.parts))
const said = (part: Part) =>
  (Object.keys(WORDS) as Mark[])
    .filter((mark) => part[mark])
    .map((mark) => `${part[mark]} ${WORDS[mark]}`)
    .join(', ')
</script>

<template>
  <table class="rows">
    <thead>
      <tr>
        <th></th>
        <th>part</th>
        <th>zone</th>
        <th>where each is</th>
        <th>in words</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="row in shown" :key="row.key" :class="{ open: row.part.running, hurt: row.part.stuck }">
        <td class="mono" :title="DOINGS[row.part.do].word">{{ DOINGS[row.part.do].mark }}</td>
        <th scope="row">{{ partName(row.part) }}</th>
        <td>{{ row.part.zone }}</td>
        <td class="picture">
          <svg v-if="row.marks.length" :width="row.marks.length * 13" height="14" aria-hidden="true">
            <g v-for="(mark, place) in row.marks" :key="place" :transform="`translate(${place * 13 + 6.5} 7)`" :class="mark">
              <path d="M0 -5.5 L5.5 0 L0 5.5 L-5.5 0 Z" class="whole" />
              <path v-if="mark === 'running'" d="M0 -5.5 L0 5.5 L-5.5 0 Z" class="half" />
              <path v-if="mark === 'stuck'" d="M-2.2 -2.2 L2.2 2.2 M2.2 -2.2 L-2.2 2.2" class="cross" />
            </g>
          </svg>
          <svg v-else width="260" height="10" aria-hidden="true" preserveAspectRatio="none" viewBox="0 0 1 1">
            <rect
              v-for="(own, place) in row.bar"
              :key="own.mark"
              :x="row.bar.slice(0, place).reduce((sum, entry) => sum + entry.share, 0)"
              y="0"
              :width="own.share"
              height="1"
              :class="['bar', own.mark]"
            />
          </svg>
        </td>
        <td>
          {{ said(row.part) }}
          <span v-for="text in row.part.messages" :key="text" class="madder said">{{ text }}</span>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.rows {
  width: auto;
  min-width: 60%;
}
.rows th[scope] {
  font-weight: 500;
  text-align: left;
  white-space: nowrap;
}
.rows td {
  padding: 3px 10px 3px 0;
}
.picture {
  line-height: 0;
}
.open th[scope] {
  font-weight: 700;
}
.whole {
  fill: none;
  stroke: var(--line-strong, var(--quiet));
}
.done .whole,
.bar.done {
  fill: var(--ink);
  stroke: var(--ink);
}
.running .whole {
  stroke: var(--ink);
}
.half {
  fill: var(--ink);
}
.bar {
  stroke: none;
}
.bar.running {
  fill: var(--quiet);
}
.bar.stuck,
.stuck .whole {
  stroke: var(--madder);
}
.bar.stuck {
  fill: var(--madder);
}
.bar.waiting,
.bar.back {
  fill: var(--line);
}
.back .whole {
  stroke-dasharray: 2 2;
}
.cross {
  stroke: var(--madder);
  stroke-width: 1.4;
}
.said {
  display: block;
}
</style>
