<script setup lang="ts">
import { computed } from 'vue'
import type { Bench } from '../../../api/client'
import { useRelations } from '../../../api/demand'
import { gibibytes, plural } from '../../../domain/format'
import RelationsPicture from '../../../pictures/relations/RelationsPicture.vue'
import OneOf from '../../../ui/OneOf.vue'

/** What depends on what: a workload with who calls it, what it calls, where it stands and with whom, and what its loss takes along. */
const props = defineProps<{ bench: Bench; chosen: string | null }>()
const emit = defineEmits<{ choose: [key: string] }>()
const options = computed(() => props.bench.workloads.map((row) => ({ value: row.key, label: `${row.namespace}/${row.name}` })))
const key = computed(
  () =>
    props.chosen ??
    options.value.find((own) => props.bench.workloads.some((row) => row.key === own.value && row.journey))?.value ??
    options.value[0]?.value ??
    '',
)
const relations = useRelations(
  computed(() => props.bench.variant.id),
  key,
)
const found = computed(() => relations.data.value)
const zones = computed(() => [...new Set(found.value?.nodes.map((node) => node.zone) ?? [])])

function go(name: string): void {
  const known = options.value.find((own) => own.label === name)
  if (known) emit('choose', known.value)
}
</script>

<template>
  <div class="relations">
    <header>
      <OneOf
        name="the workload"
        :value="key"
        size="small"
        filterable
        :input-props="{ 'aria-label': 'the workload' }"
        :options="options"
        style="width: 260px"
        @update:value="emit('choose', $event)"
      />
      <span v-if="found" class="quiet"
        >{{ found.scales }} replicas; {{ found.budget
        }}<template v-if="found.volumes.length">; volumes {{ found.volumes.join(', ') }}</template></span
      >
    </header>
    <template v-if="found">
      <section>
        <h2>{{ found.goes_along.length ? 'Its loss takes along' : 'Its loss takes nothing along that is stated' }}</h2>
        <ul v-if="found.goes_along.length" class="along">
          <li v-for="words in found.goes_along" :key="words" :class="{ madder: words.endsWith('is down') }">{{ words }}</li>
        </ul>
      </section>
      <section class="picture">
        <div class="ends quiet">
          <span>calls or feeds it</span><strong>{{ found.name }}</strong
          ><span>it calls or feeds</span>
        </div>
        <RelationsPicture :found="found" @choose="go" />
        <table v-if="found.journeys.length" aria-label="journeys">
          <thead>
            <tr>
              <th>journey</th>
              <th class="number">target</th>
              <th>before it</th>
              <th>behind it</th>
              <th>without it</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="own in found.journeys" :key="own.journey">
              <th scope="row">{{ own.journey }}</th>
              <td class="number">{{ Number(own.target) ? `${own.target} %` : 'none' }}</td>
              <td class="quiet">{{ own.before.join(', ') || 'users' }}</td>
              <td class="quiet">{{ own.behind.join(', ') || 'nothing' }}</td>
              <td :class="{ madder: own.is_down_without }">{{ own.is_down_without ? 'down' : 'goes on' }}</td>
            </tr>
          </tbody>
        </table>
        <table v-if="found.sends.length || found.gets.length" aria-label="traffic">
          <tbody>
            <tr v-for="own in found.gets" :key="`gets ${own.workload}`">
              <th scope="row">gets from {{ own.workload }}</th>
              <td class="number">{{ gibibytes(own.size_bytes) }} GiB a month</td>
            </tr>
            <tr v-for="own in found.sends" :key="`sends ${own.workload}`">
              <th scope="row">sends to {{ own.workload }}</th>
              <td class="number">{{ gibibytes(own.size_bytes) }} GiB a month</td>
            </tr>
          </tbody>
        </table>
      </section>
      <section v-if="found.nodes.length">
        <h2>Stands on {{ plural(found.nodes.length, 'node') }}</h2>
        <p v-if="found.shares.length" class="quiet">
          Shares them with
          <template v-for="(own, place) in found.shares.slice(0, 8)" :key="own.workload"
            >{{ place ? ', ' : ''
            }}<button type="button" class="plain-button link" @click="go(own.workload)">{{ own.workload }}</button> ({{
              own.nodes
            }})</template
          ><template v-if="found.shares.length > 8"> and {{ found.shares.length - 8 }} more</template>.
        </p>
        <div v-for="zone in zones" :key="zone" class="zone">
          <strong>{{ zone }}</strong>
          <span
            v-for="node in found.nodes.filter((own) => own.zone === zone)"
            :key="node.node"
            class="node"
            :title="node.beside.map((own) => `${own.replicas} × ${own.workload}`).join(', ')"
            >{{ node.instance_type }} #{{ node.node }} <b>{{ node.replicas }}</b></span
          >
        </div>
      </section>
      <p v-if="found.together.length || found.apart.length" class="quiet">
        <template v-if="found.together.length">Stands with {{ found.together.join(', ') }}. </template>
        <template v-if="found.apart.length">Keeps {{ found.apart.join(', ') }} off its nodes.</template>
      </p>
    </template>
  </div>
</template>

<style scoped>
.relations {
  display: grid;
  gap: 12px;
  align-content: start;
  overflow: auto;
  padding: 12px 0;
  height: 100%;
}
header {
  display: flex;
  gap: 16px;
  align-items: center;
}
section {
  display: grid;
  gap: 6px;
  max-width: 980px;
}
.along {
  margin: 0;
  padding-left: 16px;
  columns: 2;
}
.ends {
  display: grid;
  grid-template-columns: 250px 1fr 250px;
  width: 820px;
  text-align: center;
}
.ends span:first-child {
  text-align: right;
}
.ends span:last-child {
  text-align: left;
}
th[scope],
td.number {
  white-space: nowrap;
}
th[scope] {
  text-align: left;
  font-weight: 560;
}
.zone {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
  align-items: baseline;
}
.zone strong {
  width: 70px;
}
.node {
  border: 1px solid var(--line);
  padding: 1px 7px;
  font-size: 12px;
}
.link {
  text-decoration: underline;
}
</style>
