<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, ref } from 'vue'
import { useRouter } from 'vue-router'
import { Problem } from '../../api/client'
import { useImportStudy } from '../../api/studies'
import FaultList from '../../ui/FaultList.vue'

/** Brings a study's file in; the file stays at hand while another name for the study is asked. */
const router = useRouter()
const bring = useImportStudy()
const file = ref<{ name: string; text: string } | null>(null)
const title = ref('')
const error = computed(() => bring.error.value as Problem | null)
const twice = computed(() => error.value?.faults?.some((fault) => fault.code === 'study.twice') ?? false)

async function choose(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const chosen = input.files?.[0]
  input.value = ''
  if (!chosen) return
  file.value = { name: chosen.name, text: await chosen.text() }
  title.value = ''
  send()
}
function send(): void {
  if (!file.value) return
  bring.mutate(
    { text: file.value.text, name: title.value },
    { onSuccess: (study) => router.push(`/bench/${(study.variants.find((each) => each.is_reference) ?? study.variants[0])?.id}/fit`) },
  )
}
</script>

<template>
  <section class="bring">
    <label class="choose">
      <span>or bring in a study’s file</span>
      <input type="file" accept=".json,application/json" aria-label="a study’s file" @change="choose" />
    </label>
    <span v-if="bring.isPending.value" class="quiet" role="status">reading {{ file?.name }}</span>
    <form v-if="file && twice" @submit.prevent="send">
      <NInput v-model:value="title" placeholder="name that it has here" :input-props="{ 'aria-label': 'name that the study has here' }" />
      <NButton attr-type="submit" :disabled="!title.trim()" :loading="bring.isPending.value">Bring it in under this name</NButton>
    </form>
    <FaultList v-if="error" :faults="error.faults ?? []" :title="error.message" />
  </section>
</template>

<style scoped>
.bring {
  display: grid;
  gap: 8px;
}
.choose {
  display: flex;
  gap: 12px;
  align-items: center;
}
form {
  display: grid;
  grid-template-columns: 320px auto;
  gap: 10px;
  justify-content: start;
}
</style>
