<script setup lang="ts">
import { refDebounced } from '@vueuse/core'
import { computed, nextTick, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useFound, type Found } from '../api/found'
import { usePerson } from '../api/session'
import { KEYS, keyOf, useKeys } from '../composables/useKeys'
import { PLACES } from '../domain/places'
import OpenSheet from './OpenSheet.vue'

/** Anything by its name, from anywhere: `/` opens it, arrows choose, Enter goes there. */
const PAUSE_MS = 120
const route = useRoute()
const router = useRouter()
const person = usePerson()
const open = ref(false)
const text = ref('')
const asked = refDebounced(text, PAUSE_MS)
const variant = computed(() => (route.name === 'bench' ? Number(route.params.variant) : null))
const query = useFound(asked, variant)
const field = ref<HTMLInputElement | null>(null)
const at = ref(0)
const words = computed(() => text.value.toLowerCase().split(/\s+/).filter(Boolean))
const holds = (name: string) => words.value.every((word) => name.toLowerCase().includes(word))
/** Places and keys are known here; the rest the server finds. */
const near = computed<Found[]>(() => {
  if (!words.value.length) return []
  const places = variant.value
    ? PLACES.filter((place) => holds(place.title)).map((place) => ({
        kind: 'place',
        name: place.title,
        words: `key ${place.key}`,
        link: `/bench/${variant.value}/${place.name}`,
      }))
    : []
  const pressed = KEYS.filter(([, what]) => holds(what)).map(([key, what]) => ({ kind: 'key', name: key, words: what, link: '' }))
  return [...places, ...pressed.slice(0, 4)]
})
const found = computed(() => (words.value.length ? [...(query.data.value ?? []), ...near.value] : []))
watch(found, () => (at.value = 0))

useKeys((event) => {
  const role = person.data.value?.role
  if (keyOf(event) !== '/' || event.ctrlKey || open.value || !role || role === 'owner') return false
  open.value = true
  text.value = ''
  void nextTick(() => field.value?.focus())
  return true
})
function go(entry: Found | undefined): void {
  if (!entry?.link) return
  open.value = false
  void router.push(entry.link)
}
function move(event: KeyboardEvent): void {
  const by = { ArrowDown: 1, ArrowUp: -1 }[event.key]
  if (by && found.value.length) at.value = (at.value + by + found.value.length) % found.value.length
  else if (event.key === 'Enter') go(found.value[at.value])
  else return
  event.preventDefault()
}
</script>

<template>
  <OpenSheet v-model:show="open" title="Find anything" :width="620">
    <div class="find">
      <input
        ref="field"
        v-model="text"
        type="text"
        role="combobox"
        aria-label="what to find"
        aria-controls="what-was-found"
        aria-autocomplete="list"
        :aria-expanded="found.length > 0"
        :aria-activedescendant="found.length ? `found-${at}` : undefined"
        maxlength="120"
        placeholder="a study, variant, workload, instance type, place, finding or key"
        @keydown="move"
      />
      <ul id="what-was-found" role="listbox" aria-label="what was found">
        <li
          v-for="(entry, place) in found"
          :id="`found-${place}`"
          :key="`${entry.kind} ${entry.name} ${entry.link}`"
          role="option"
          :aria-selected="place === at"
          :class="{ now: place === at, still: !entry.link }"
          @mousemove="at = place"
          @click="go(entry)"
        >
          <span class="quiet">{{ entry.kind }}</span><strong>{{ entry.name }}</strong
          ><span class="quiet">{{ entry.words }}</span>
        </li>
      </ul>
      <p v-if="words.length && !found.length && !query.isFetching.value" class="quiet" role="status">Nothing is called that.</p>
    </div>
  </OpenSheet>
</template>

<style scoped>
.find {
  display: grid;
  gap: 8px;
}
input {
  font: inherit;
  font-size: 15px;
  color: inherit;
  background: transparent;
  border: 0;
  border-bottom: 1px solid var(--ink);
  padding: 6px 2px;
  width: 100%;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  max-height: 380px;
  overflow: auto;
}
li {
  display: grid;
  grid-template-columns: 96px minmax(0, 1fr) minmax(0, 200px);
  gap: 10px;
  padding: 4px 6px;
  cursor: pointer;
}
li.now {
  background: var(--wash);
  box-shadow: inset 3px 0 0 var(--madder);
}
li.still {
  cursor: default;
}
</style>
