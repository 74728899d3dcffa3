<script setup lang="ts">
import { NButton, NInput, NModal } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import type { Problem } from '../api/client'

/** A choice that leaves an open house rule asks for the reason; one that leaves a closed rule says so. */
const props = defineProps<{ problem: Problem | null; busy: boolean }>()
const emit = defineEmits<{ say: [why: string]; close: [] }>()
const why = ref('')
const closed = computed(() => props.problem?.faults.some((fault) => fault.code === 'house.closed') ?? false)
const show = computed(() => props.problem !== null)
watch(show, () => (why.value = ''))
</script>

<template>
  <NModal
    :show="show"
    preset="card"
    :title="closed ? 'A house rule stands in the way' : 'This leaves a house rule'"
    style="width: 520px"
    @update:show="emit('close')"
    @close="emit('close')"
  >
    <div class="why">
      <p v-for="fault in problem?.faults" :key="fault.path + fault.code">
        {{ fault.reason }} <span class="quiet">{{ fault.fix }}</span>
      </p>
      <template v-if="!closed">
        <NInput
          v-model:value="why"
          type="textarea"
          :rows="3"
          :maxlength="400"
          placeholder="why this study deviates"
          :input-props="{ 'aria-label': 'why this study deviates' }"
        />
        <div class="act">
          <NButton size="small" @click="emit('close')">Cancel</NButton
          ><NButton size="small" type="primary" :disabled="!why.trim()" :loading="busy" @click="emit('say', why)"
            >Deviate and say why</NButton
          >
        </div>
      </template>
      <div v-else class="act"><NButton size="small" @click="emit('close')">Cancel</NButton></div>
    </div>
  </NModal>
</template>

<style scoped>
.why {
  display: grid;
  gap: 10px;
}
.act {
  display: flex;
  gap: 10px;
  justify-content: flex-end;
}
</style>
