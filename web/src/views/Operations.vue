<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed } from 'vue'
import { inShort, type Problem } from '../api/client'
import { useBeginAgain, useOperations } from '../api/operations'
import { day, plural } from '../domain/format'
import { howLong } from '../domain/build'
import HousePage from '../ui/HousePage.vue'

/** How the installation stands, for leads: what waits, who works, what failed, what the database does and holds. */
const query = useOperations()
const again = useBeginAgain()
const found = computed(() => query.data.value ?? null)
const error = computed(() => (again.error.value ?? query.error.value) as Problem | null)
const MIB = 2 ** 20
const mib = (bytes: number) => `${(bytes / MIB).toFixed(1)} MiB`
const since = (moment: string) => howLong((Date.now() - new Date(moment).getTime()) / 1000)
</script>

<template>
  <HousePage title="Operations" :width="1180" class="operations">
    <template #beside
      ><span v-if="found" class="quiet">this web process has the code {{ found.version }}</span></template
    >
    <p v-if="error" class="madder" role="alert">
      {{ inShort(error) }}
    </p>
    <template v-if="found">
      <section aria-label="queues">
        <h2>What waits</h2>
        <p v-if="!found.queues.length" class="quiet">Nothing waits, and nothing is under way.</p>
        <table v-else class="narrow">
          <thead>
            <tr>
              <th>queue</th>
              <th class="number">waiting</th>
              <th class="number">under way</th>
              <th>first has waited</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="queue in found.queues" :key="queue.name">
              <td>{{ queue.name }}</td>
              <td class="number">{{ queue.waiting }}</td>
              <td class="number">{{ queue.running }}</td>
              <td>{{ queue.waiting ? howLong(queue.oldest_s) : '—' }}</td>
              <td>
                <span v-if="queue.other_code" class="amber"
                  >{{ plural(queue.other_code, 'job') }} of code that no worker has: done by the others once it has waited for 40 s</span
                >
              </td>
            </tr>
          </tbody>
        </table>
      </section>
      <section aria-label="workers">
        <h2>Who works</h2>
        <p v-if="!found.workers.length" class="madder">No worker lives: what is asked waits. Start one: ./rombel worker</p>
        <table v-else>
          <thead>
            <tr>
              <th>machine</th>
              <th class="number">process</th>
              <th>queues</th>
              <th>code</th>
              <th>since</th>
              <th>does now</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="worker in found.workers" :key="`${worker.machine} ${worker.process}`">
              <td>{{ worker.machine }}</td>
              <td class="number">{{ worker.process }}</td>
              <td>
                {{ worker.queues.split(',').join(', ') }}<span v-if="worker.at_once > 1" class="quiet">, {{ worker.at_once }} at once</span>
              </td>
              <td>
                <template v-if="worker.same_code">as here</template>
                <span v-else class="amber">{{ worker.version }}: leaves what was asked here to others</span>
              </td>
              <td>{{ since(worker.started_at) }}</td>
              <td>{{ worker.jobs.join('; ') || '—' }}</td>
            </tr>
          </tbody>
        </table>
      </section>
      <section aria-label="failures">
        <h2>What failed within a week</h2>
        <p v-if="!found.failed.length" class="quiet">Nothing did.</p>
        <table v-else>
          <thead>
            <tr>
              <th>when</th>
              <th>what</th>
              <th>why</th>
              <th>asked by</th>
              <th class="number">tries</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="job in found.failed" :key="job.id">
              <td>{{ job.finished_at ? day(job.finished_at) : '' }}</td>
              <td>
                {{ job.kind }} <span class="quiet">{{ job.subject }}</span>
              </td>
              <td class="why">{{ job.message }}</td>
              <td>{{ job.asked_by || '—' }}</td>
              <td class="number">{{ job.attempts }}</td>
              <td>
                <NButton
                  v-if="job.again"
                  size="tiny"
                  :loading="again.isPending.value && again.variables.value === job.id"
                  @click="again.mutate(job.id)"
                  >Begin again</NButton
                >
              </td>
            </tr>
          </tbody>
        </table>
      </section>
      <section aria-label="statements">
        <h2>What the database works on for longer than a second</h2>
        <p v-if="!found.statements.length" class="quiet">Nothing.</p>
        <table v-else>
          <tbody>
            <tr v-for="(statement, place) in found.statements" :key="place">
              <td class="number">{{ howLong(statement.seconds) }}</td>
              <td class="mono">{{ statement.words }}</td>
            </tr>
          </tbody>
        </table>
      </section>
      <section aria-label="answers kept">
        <h2>What is kept of answers</h2>
        <p>
          {{ plural(found.kept.answers, 'answer') }}<template v-if="found.kept.oldest"> since {{ day(found.kept.oldest) }}</template
          >, {{ found.kept.handed_in }} of them handed in to be signed. Of a variant the newest {{ found.kept.newest }} stay, the last of
          each of {{ found.kept.days }} days, then of each month; <RouterLink to="/house">the house rules</RouterLink> say so.
        </p>
      </section>
      <section aria-label="database">
        <h2>
          The database <span class="quiet">{{ mib(found.database_bytes) }}; its largest tables</span>
        </h2>
        <table class="narrow">
          <thead>
            <tr>
              <th>table</th>
              <th class="number">size</th>
              <th class="number">rows, about</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="table in found.tables" :key="table.name">
              <td>{{ table.name }}</td>
              <td class="number">{{ mib(table.size_bytes) }}</td>
              <td class="number">{{ table.rows ?? 'not yet counted' }}</td>
            </tr>
          </tbody>
        </table>
      </section>
    </template>
  </HousePage>
</template>

<style scoped>
.operations {
  font-size: 12px;
}
h2 {
  font-size: 14px;
}
table {
  width: 100%;
}
.narrow {
  max-width: 760px;
}
.why {
  max-width: 420px;
}
</style>
