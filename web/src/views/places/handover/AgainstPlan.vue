<script setup lang="ts">
import { NButton, NInput } from 'naive-ui'
import { computed, ref, toRef } from 'vue'
import { useAgainst, useAgainstActions, useBuilds, type Drift } from '../../../api/builds'
import type { Bench, Problem } from '../../../api/client'
import { day, percent, plural } from '../../../domain/format'
import FaultList from '../../../ui/FaultList.vue'
import WaysPart from './WaysPart.vue'

/** What runs against the signed plan: every difference with who is right, and how each pool is. */
const props = defineProps<{ bench: Bench; mayEdit: boolean }>()
const variant = toRef(() => props.bench.variant.id)
const study = toRef(() => props.bench.study.id)
const found = useAgainst(variant)
const data = computed(() => found.data.value)
const builds = useBuilds(study)
const built = computed(() => builds.data.value?.find((line) => line.goal !== 'nothing' && line.state !== ''))
const { list, answer } = useAgainstActions(variant, study)
const problem = computed(() => (list.error.value ?? answer.error.value) as Problem | null)
const pastes = ref(false)
const text = ref('')
const open = computed(() => data.value?.drifts.filter((own) => !own.plan_right_by) ?? [])
const settled = computed(() => data.value?.drifts.filter((own) => own.plan_right_by) ?? [])
const WORDS: Record<Drift['kind'], string> = {
  nodes: 'nodes',
  version: 'version',
  range: 'range of addresses',
  waiting: 'waits for a node',
  missing: 'does not run',
  unplanned: 'not in the sheet',
  replicas: 'replicas',
  spread: 'spread over zones',
  requests: 'requests',
  limits: 'limits',
}

function say(own: Drift, right: 'plan' | 'cluster'): void {
  const { kind, where, planned, actual } = own
  answer.mutate({ kind, where, planned, actual, right })
}
function take(): void {
  list.mutate({ text: text.value, origin: 'pasted' }, { onSuccess: () => ((pastes.value = false), (text.value = '')) })
}
async function choose(event: Event): Promise<void> {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (file) list.mutate({ text: await file.text(), origin: file.name })
}
</script>

<template>
  <div class="against">
    <header>
      <p v-if="data">
        <strong>{{ data.drifts.length ? plural(data.drifts.length, 'difference') : 'No drift' }}</strong> between {{ data.nodes }} nodes of
        {{ data.origin || 'the cluster' }}, listed on {{ day(data.read_at) }}, and the plan of {{ data.variant_name
        }}{{ data.signed_on ? `, signed on ${day(data.signed_on)}` : ', which nobody signed' }}.
      </p>
      <p v-else-if="found.isSuccess.value" class="quiet">
        No cluster was listed. List its nodes and pods together, and what runs is compared with the plan.
      </p>
      <div v-if="mayEdit" class="act">
        <NButton v-if="built" size="small" type="primary" :loading="list.isPending.value" @click="list.mutate(null)"
          >List {{ built.cluster }} now</NButton
        >
        <NButton size="small" @click="pastes = !pastes">Paste a listing</NButton>
        <label class="file"
          >Choose a file<input type="file" accept=".json,.yaml,.yml" aria-label="a listing from a file" @change="choose"
        /></label>
      </div>
    </header>
    <form v-if="pastes" class="paste" @submit.prevent="take">
      <NInput
        v-model:value="text"
        type="textarea"
        :autosize="{ minRows: 5, maxRows: 12 }"
        placeholder="Nodes, workloads and pods as the cluster’s API lists them, YAML or JSON"
        :input-props="{ 'aria-label': 'a listing' }"
      />
      <NButton size="small" type="primary" attr-type="submit" :disabled="!text.trim()" :loading="list.isPending.value">Take it</NButton>
    </form>
    <FaultList v-if="problem" :faults="problem.faults ?? []" :title="problem.message" />
    <template v-if="data">
      <p v-if="!data.is_of_plan" class="madder">
        Neither its instance types nor its workloads are the plan’s: this looks like the listing of another cluster.
      </p>
      <table v-if="open.length" aria-label="differences">
        <thead>
          <tr>
            <th>what differs</th>
            <th>where</th>
            <th>planned</th>
            <th>runs</th>
            <th class="number">how many</th>
            <th v-if="mayEdit">who is right</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="own in open" :key="`${own.kind} ${own.where} ${own.actual}`">
            <td>{{ WORDS[own.kind] }}</td>
            <th scope="row">{{ own.where }}</th>
            <td class="quiet">{{ own.planned }}</td>
            <td>{{ own.actual }}</td>
            <td class="number">{{ own.count }}</td>
            <td v-if="mayEdit">
              <span class="right">
                <NButton size="tiny" @click="say(own, 'plan')">the plan</NButton>
                <NButton v-if="own.can_take" size="tiny" @click="say(own, 'cluster')">the cluster: into the sheet</NButton>
              </span>
            </td>
          </tr>
        </tbody>
      </table>
      <details v-if="settled.length">
        <summary>{{ plural(settled.length, 'difference') }} where the plan is right, to be put right in the cluster</summary>
        <ul>
          <li v-for="own in settled" :key="`${own.kind} ${own.where}`">
            {{ WORDS[own.kind] }}, {{ own.where }}: {{ own.actual }} becomes {{ own.planned }}
            <span class="quiet">({{ own.plan_right_by }})</span>
          </li>
        </ul>
      </details>
      <h2>Pools</h2>
      <table aria-label="pools">
        <thead>
          <tr>
            <th>instance type</th>
            <th>zone</th>
            <th class="number">planned</th>
            <th class="number">between</th>
            <th class="number">stand</th>
            <th class="number">not ready</th>
            <th>version</th>
            <th>CPU requested</th>
            <th>memory requested</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="pool in data.pools" :key="pool.instance_type + pool.zone">
            <th scope="row">{{ pool.instance_type }}</th>
            <td>{{ pool.zone }}</td>
            <td class="number">{{ pool.planned }}</td>
            <td class="number quiet">{{ pool.least }} to {{ pool.most }}</td>
            <td class="number" :class="{ madder: pool.nodes < pool.least || pool.nodes > pool.most }">{{ pool.nodes }}</td>
            <td class="number" :class="{ madder: pool.not_ready }">{{ pool.not_ready || '' }}</td>
            <td :class="{ madder: pool.versions.length > 1 }">{{ pool.versions.join(', ') }}</td>
            <td v-for="(share, place) in [pool.cpu_share, pool.memory_share]" :key="place">
              <span class="fill"><i :style="{ width: percent(Math.min(1, share), 0).replace(/\s/g, '') }" /></span> {{ percent(share, 0) }}
            </td>
          </tr>
        </tbody>
      </table>
      <WaysPart :bench="bench" :may-edit="mayEdit" />
    </template>
  </div>
</template>

<style scoped>
.against {
  padding: 14px 20px;
  display: grid;
  gap: 10px;
  align-content: start;
  overflow: auto;
  height: 100%;
}
header {
  display: flex;
  gap: 18px;
  justify-content: space-between;
  align-items: center;
}
.act {
  display: flex;
  gap: 10px;
  align-items: center;
  flex: none;
}
.file {
  text-decoration: underline;
  cursor: pointer;
}
.file:focus-within {
  outline: 2px solid var(--madder);
}
.file input {
  position: absolute;
  width: 1px;
  opacity: 0;
}
.paste {
  display: grid;
  gap: 8px;
  justify-items: start;
}
th[scope] {
  text-align: left;
  font-weight: 560;
}
.right {
  display: flex;
  gap: 6px;
}
.fill {
  display: inline-block;
  width: 80px;
  height: 7px;
  background: var(--wash);
}
.fill i {
  display: block;
  height: 100%;
  background: var(--ink);
}
</style>
