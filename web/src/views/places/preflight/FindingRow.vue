<script setup lang="ts">
import { ref } from 'vue'
import type { Finding } from '../../../api/preflight'
import { findingWords } from '../../../domain/words'

/** One finding: how grave, what and why, what would mend it, where; a warning or a note may be accepted with a reason. */
const props = defineProps<{ finding: Finding; to: string; mayEdit: boolean; mayAccept: boolean }>()
const emit = defineEmits<{ accept: [why: string]; reopen: []; mend: [] }>()
const asking = ref(false)
const why = ref('')
function say(): void {
  if (!why.value.trim()) return
  emit('accept', why.value)
  asking.value = false
}
</script>

<template>
  <li :class="[finding.level, { accepted: finding.accepted }]">
    <span class="grade">{{ findingWords[finding.level] }}</span>
    <div>
      <p>{{ finding.text }}.</p>
      <p class="quiet">
        {{ finding.fix }}
        <button v-if="mayEdit && finding.mend" type="button" class="plain-button link" @click="emit('mend')">
          {{ finding.mend.words }}
        </button>
        <RouterLink v-if="finding.place !== 'preflight'" :to="to">Look there</RouterLink>
      </p>
      <p v-if="finding.accepted" class="quiet">
        Accepted by {{ finding.accepted.who }} on {{ finding.accepted.at.slice(0, 10) }}: {{ finding.accepted.why }}
        <button v-if="props.mayEdit" type="button" class="plain-button link" @click="emit('reopen')">open it again</button>
      </p>
      <form v-else-if="asking" @submit.prevent="say">
        <input v-model="why" :aria-label="`why is it accepted: ${finding.text}`" placeholder="why" maxlength="400" />
        <button type="submit" class="plain-button link">Accept</button>
        <button type="button" class="plain-button link" @click="asking = false">Leave it open</button>
      </form>
    </div>
    <button v-if="mayAccept && !finding.accepted && !asking" type="button" class="plain-button link" @click="asking = true">accept</button>
    <span v-else-if="mayEdit && finding.accepted_by === 'lead' && !finding.accepted && !asking" class="quiet">a lead accepts it</span>
  </li>
</template>

<style scoped>
li {
  display: grid;
  grid-template-columns: 70px minmax(0, 1fr) auto;
  gap: 10px;
  padding: 6px 0;
  border-bottom: 1px solid var(--line);
}
.grade {
  font-weight: 650;
}
.stop .grade {
  color: var(--madder);
}
.care .grade {
  color: var(--amber);
}
.accepted .grade {
  color: var(--quiet);
  font-weight: 400;
}
.link {
  color: var(--madder);
  text-decoration: underline;
  padding: 0 4px;
  align-self: start;
}
input {
  width: 320px;
  font: inherit;
  color: inherit;
  background: transparent;
  border: 0;
  border-bottom: 1px solid var(--line);
}
</style>
