<script setup lang="ts">
import { NButton, NCheckbox } from 'naive-ui'
import { computed, toRef } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useBuild, useBuildActions, useBuilds, type BuildLine } from '../../../api/builds'
import { underWay, type Bench, type Problem } from '../../../api/client'
import { howLongBetween, wishesFor, WISHES, type Wish } from '../../../domain/build'
import { day, plural } from '../../../domain/format'
import BuildRows from '../../../pictures/construction/BuildRows.vue'
import FaultList from '../../../ui/FaultList.vue'
import ShareBar from '../../../ui/ShareBar.vue'

/** The study's builds, and one of them as it stands now: part by part, with its expected end, and what may be wished of it. */
const props = defineProps<{ bench: Bench; mayEdit: boolean }>()
const route = useRoute()
const router = useRouter()
const builds = useBuilds(toRef(() => props.bench.study.id))
const lines = computed(() => builds.data.value ?? [])
const chosen = computed(() => Number(route.query.of ?? 0) || (lines.value[0]?.id ?? 0))
const found = useBuild(chosen)
const build = computed(() => found.data.value)
const { wish, follow, tick } = useBuildActions()
const GOALS = { plan: '', upgrade: ', one version up', replace: ', new nodes', nothing: ', taken away' } as const
const problem = computed(() => (wish.error.value ?? follow.error.value ?? tick.error.value) as Problem | null)
const wishes = computed(() => (build.value && props.mayEdit ? wishesFor(build.value) : []))

function stateWords(line: BuildLine): string {
  if (line.status === 'failed') return 'not followed'
  return line.state === 'done' ? (line.goal === 'nothing' ? 'gone' : 'stands') : line.state || 'asked for'
}
function send(what: Wish): void {
  if (build.value) wish.mutate({ id: build.value.id, wish: what })
}
</script>

<template>
  <div v-if="lines.length" class="builds">
    <nav aria-label="builds of this study">
      <button
        v-for="line in lines"
        :key="line.id"
        type="button"
        class="plain-button one"
        :aria-current="line.id === chosen ? 'true' : undefined"
        @click="router.replace({ query: { ...route.query, of: String(line.id) } })"
      >
        <strong>{{ line.cluster }}</strong>
        <span :class="{ madder: line.state === 'stuck' || line.status === 'failed' }">{{ stateWords(line) }}</span>
        <span class="quiet">{{ line.variant_name }}, {{ day(line.started_at) }}</span>
      </button>
    </nav>
    <section v-if="build" aria-live="polite" aria-label="the build">
      <header>
        <h2>{{ `${build.cluster}${GOALS[build.goal]}` }}: {{ stateWords(build) }}</h2>
        <div class="act">
          <NButton
            v-for="own in wishes"
            :key="own"
            size="small"
            :type="own === 'retry' || own === 'resume' ? 'primary' : 'default'"
            :disabled="!!build.wish"
            :loading="build.wish === own"
            @click="send(own)"
            >{{ WISHES[own] }}</NButton
          >
          <NButton v-if="build.status === 'failed' && mayEdit" size="small" type="primary" @click="follow.mutate(build.id)"
            >Follow it again</NButton
          >
        </div>
      </header>
      <p v-if="underWay(build)" class="bar"><ShareBar :share="build.share" label="how much of it is done" /></p>
      <p>
        {{ build.phase
        }}<template v-if="build.expected && build.state !== 'stuck'"
          >, {{ howLongBetween(build.expected.early_s, build.expected.late_s) }} left</template
        ><template v-else-if="build.expected"
          >, {{ howLongBetween(build.expected.early_s, build.expected.late_s) }} once nothing is stuck</template
        ><template v-if="build.message && !underWay(build)">: {{ build.message }}</template>
      </p>
      <p class="quiet">
        Begun by {{ build.started_by }} on {{ day(build.started_at) }} at {{ build.provider
        }}<template v-if="build.why">, before anybody signed the plan: {{ build.why }}</template
        >.
      </p>
      <BuildRows :parts="build.parts" />
      <div v-if="build.steps.length" class="outside">
        <h2>Outside of the build</h2>
        <NCheckbox
          v-for="(step, place) in build.steps"
          :key="place"
          :checked="!!step.by"
          :disabled="!mayEdit"
          @update:checked="(done: boolean) => tick.mutate({ id: build?.id ?? 0, place, done })"
          >{{ step.text }} <span v-if="step.by" class="quiet">{{ step.by }}</span></NCheckbox
        >
      </div>
      <div v-if="build.api_address" class="outputs">
        <h2>What came of it</h2>
        <dl>
          <dt>API</dt>
          <dd class="mono">{{ build.api_address }}, version {{ build.version }}</dd>
          <template v-if="build.gateways.length">
            <dt>gateways</dt>
            <dd class="mono">{{ build.gateways.map((own) => `${own.zone} ${own.address}`).join(', ') }}</dd>
          </template>
          <dt>{{ plural(build.node_names.length, 'node') }}</dt>
          <dd class="mono names">{{ build.node_names.join(' ') }}</dd>
        </dl>
      </div>
      <FaultList v-if="problem" :faults="problem.faults ?? []" :title="problem.message" />
    </section>
  </div>
  <p v-else-if="builds.isSuccess.value" class="quiet none">
    Nothing was built of this study yet. Look at what is to be done under
    <RouterLink :to="{ query: { show: 'todo' } }">Changes</RouterLink>, and begin there.
  </p>
</template>

<style scoped>
.builds {
  display: grid;
  grid-template-columns: 210px minmax(0, 1fr);
  min-height: 0;
  height: 100%;
}
nav {
  border-right: 1px solid var(--line);
  overflow: auto;
}
.one {
  display: grid;
  gap: 1px;
  width: 100%;
  text-align: left;
  padding: 8px 14px;
  border-bottom: 1px solid var(--line);
}
.one[aria-current] {
  background: var(--wash);
  box-shadow: inset 2px 0 0 var(--madder);
}
section {
  padding: 14px 20px;
  overflow: auto;
  display: grid;
  gap: 9px;
  align-content: start;
}
header,
.act,
.bar {
  display: flex;
  gap: 10px;
  align-items: center;
  justify-content: space-between;
}
.bar {
  max-width: 620px;
}
dl {
  display: grid;
  grid-template-columns: 90px minmax(0, 1fr);
  gap: 3px 10px;
  margin: 4px 0 0;
}
dd {
  margin: 0;
}
.outside {
  display: grid;
  gap: 4px;
}
.names {
  font-size: 11.5px;
}
.none {
  padding: 40px;
}
</style>
