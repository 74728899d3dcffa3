<script setup lang="ts">
/** The linked line of places; any place at any time. State is shown by fill and mark, not colour alone. */
export interface Place {
  name: string
  title: string
  key: string
  state: 'settled' | 'look' | 'empty'
}
defineProps<{ places: Place[]; here: string }>()
const emit = defineEmits<{ go: [name: string] }>()
const words = { settled: 'settled', look: 'needs a look', empty: 'empty' }
</script>

<template>
  <nav class="thread" aria-label="places of the study">
    <button
      v-for="place in places"
      :key="place.name"
      type="button"
      class="plain-button place"
      :class="[place.state, { here: place.name === here }]"
      :aria-current="place.name === here ? 'page' : undefined"
      @click="emit('go', place.name)"
    >
      <svg width="13" height="19" viewBox="0 0 13 19" aria-hidden="true"><path d="M6.5 1L12 9.5 6.5 18 1 9.5z" /></svg>
      <span class="title">{{ place.title }}</span>
      <sup>{{ place.key }}<template v-if="place.state === 'look'"> !</template></sup>
      <span class="unseen">{{ words[place.state] }}</span>
    </button>
  </nav>
</template>

<style scoped>
.thread {
  display: flex;
  align-items: center;
  height: 38px;
  padding: 0 26px;
  border-bottom: 1px solid var(--line);
  background: linear-gradient(var(--line), var(--line)) 40px 50% / calc(100% - 80px) 1px no-repeat;
  justify-content: space-between;
}
.place {
  display: flex;
  align-items: center;
  gap: 7px;
  padding: 4px 10px;
  background: var(--paper);
}
.title {
  font-weight: 560;
}
path {
  stroke: var(--ink);
  fill: var(--ink);
  stroke-width: 1.5;
}
.empty path {
  fill: var(--paper);
}
.empty .title {
  color: var(--quiet);
}
.look path {
  fill: var(--madder);
}
.look sup {
  color: var(--madder);
  font-weight: 700;
}
.here .title {
  font-weight: 720;
  box-shadow: 0 2px 0 var(--madder);
}
sup {
  color: var(--quiet);
  font-size: 10px;
}
</style>
