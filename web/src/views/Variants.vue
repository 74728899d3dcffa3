<script setup lang="ts">
import { NButton } from 'naive-ui'
import { computed, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import type { Problem } from '../api/client'
import { comparisonFile, useArrangement, useBridges, useComparison, type Against } from '../api/comparison'
import { useMayEdit } from '../composables/useMayEdit'
import { useSignedIn } from '../composables/useSignedIn'
import { poolName } from '../domain/nodes'
import BesideLanes from '../pictures/beside/BesideLanes.vue'
import FaultList from '../ui/FaultList.vue'
import FoldedTable from '../ui/FoldedTable.vue'
import BillBridge from '../pictures/bridge/BillBridge.vue'
import { BRIDGED } from '../pictures/bridge/layout'
import StarterLine from '../ui/StarterLine.vue'
import StudyPage from '../ui/StudyPage.vue'
import BesideTables from './variants/BesideTables.vue'
import SaveStarter from './variants/SaveStarter.vue'
import VariantTree from './variants/VariantTree.vue'

/** The variants of a study, and up to four plans beside each other, told against the first; the address carries which. */
const route = useRoute()
const router = useRouter()
const person = useSignedIn()
const study = computed(() => Number(route.params.study))
const mayEdit = useMayEdit(study)
const of = computed(() => [route.query.of ?? []].flat().filter((key): key is string => typeof key === 'string'))
/** Until when a fit is waited for that was asked for by taking a change over. */
const until = ref(0)
const awaited = computed(() => until.value > 0)
const query = useComparison(study, of, awaited)
watch(query.data, (now) => {
  if (now && (Date.now() > until.value || now.columns.every((column) => column.is_current))) until.value = 0
})
const found = computed(() => query.data.value ?? null)
const error = computed(() => query.error.value as Problem | null)
const arrangement = useArrangement(study)
/** What a lead would save as a starter: the first of the variants that are looked at. */
const saved = computed(() => {
  const first = found.value?.columns.find((column) => column.key.startsWith('v'))
  return person.data.value?.role === 'lead' && first?.variant_id ? { id: first.variant_id, name: first.name } : null
})
const refused = computed(() => arrangement.refused.value as Problem | null)
const chosen = computed(() => found.value?.columns.map((column) => column.key) ?? of.value)
const bridges = useBridges(
  study,
  chosen,
  computed(() => found.value !== null),
)
function bridgeOf(key: string) {
  return bridges.data.value?.find((each) => each.key === key)?.bridge ?? null
}
const others = computed(() => (found.value?.offered ?? []).filter((entry) => !entry.key.startsWith('v')))
const first = computed(() => found.value?.columns[0] ?? null)
const GROUPS = { promises: 'promise', limits: 'limit', demand: 'demand', supply: 'supply' }

function takeOver(variant: number, source: number, only: string[]): void {
  arrangement.takeOver.mutate({ variant, source, only }, { onSuccess: () => (until.value = Date.now() + 180_000) })
}
function show(keys: string[]): void {
  void router.replace({ query: { of: keys } })
}
function choose(key: string): void {
  arrangement.settle()
  const keys = chosen.value.includes(key) ? chosen.value.filter((each) => each !== key) : [...chosen.value, key]
  if (keys.length) show(keys)
}
function tellAgainst(key: string): void {
  show([key, ...chosen.value.filter((each) => each !== key)])
}
/** The variant that a column is the newest plan of, for taking its whole change over. */
function ownVariant(each: Against): number | null {
  const column = found.value?.columns.find((entry) => entry.key === each.key)
  return column?.key.startsWith('v') ? column.variant_id : null
}
</script>

<template>
  <StudyPage :study="study" here="variants" :title="found?.study_name ?? 'Variants'" words="variants beside each other">
    <template #ways>
      <template v-if="found">
        <a :href="comparisonFile(study, chosen, 'md')" download>as Markdown</a>
        <a :href="comparisonFile(study, chosen, 'csv')" download>as CSV</a>
      </template>
      <NButton
        v-if="mayEdit"
        size="small"
        :disabled="!found?.undo"
        :loading="arrangement.undo.isPending.value"
        @click="arrangement.undo.mutate()"
        >{{ found?.undo ? `Undo “${found.undo}”` : 'Nothing to undo' }}</NButton
      >
    </template>
    <StarterLine :study="study" />
    <div class="columns">
      <aside tabindex="0" aria-label="variants of this study">
        <VariantTree :variants="found?.variants ?? []" :chosen="chosen" :arrangement="arrangement" :may-edit="mayEdit" @choose="choose" />
        <FaultList v-if="refused" :faults="refused.faults ?? []" :title="refused.message" />
        <template v-if="others.length">
          <h3>What runs, and earlier plans</h3>
          <label v-for="entry in others" :key="entry.key" class="other">
            <input
              type="checkbox"
              :checked="chosen.includes(entry.key)"
              :disabled="chosen.length > 3 && !chosen.includes(entry.key)"
              @change="choose(entry.key)"
            />
            {{ entry.name }}
          </label>
        </template>
        <SaveStarter v-if="saved" :variant="saved.id" :name="saved.name" />
        <p class="quiet">Up to four stand beside each other; the others are told against the first.</p>
      </aside>
      <section class="beside">
        <FaultList v-if="error" :faults="error.faults ?? []" :title="error.message" />
        <template v-if="found && first">
          <article v-for="each in found.against" :key="each.key">
            <h2>
              {{ found.columns.find((column) => column.key === each.key)?.name }}, beside {{ first.name }}
              <button type="button" class="plain-button link" @click="tellAgainst(each.key)">tell the others against it</button>
              <button
                v-if="mayEdit && ownVariant(each) && first.key.startsWith('v') && first.variant_id"
                type="button"
                class="plain-button link"
                :title="`all that ${found.columns.find((column) => column.key === each.key)?.name} changed of what it was made from`"
                @click="takeOver(first.variant_id, ownVariant(each) ?? 0, [])"
              >
                bring its whole change to {{ first.name }}
              </button>
            </h2>
            <ul class="told">
              <li v-for="words in each.sentences" :key="words">{{ words }}</li>
            </ul>
            <BillBridge
              v-if="bridgeOf(each.key)"
              :before="Number(bridgeOf(each.key)?.before)"
              :after="Number(bridgeOf(each.key)?.after)"
              :parts="BRIDGED.map(({ part, name }) => ({ name, amount: Number(bridgeOf(each.key)?.[part] ?? 0) }))"
              :names="[first.name, found.columns.find((column) => column.key === each.key)?.name ?? '']"
              :currency="found.currency"
            />
            <FoldedTable v-if="each.inputs.length" title="What was asked otherwise" :name="`what was asked otherwise in ${each.key}`">
              <thead>
                <tr>
                  <th>kind</th>
                  <th>what</th>
                  <th>{{ first.name }}</th>
                  <th>{{ found.columns.find((column) => column.key === each.key)?.name }}</th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="change in each.inputs" :key="change.words">
                  <td>{{ GROUPS[change.group] }}</td>
                  <td>{{ change.what }}</td>
                  <td>{{ change.before || '—' }}</td>
                  <td>{{ change.after || '—' }}</td>
                </tr>
              </tbody>
            </FoldedTable>
          </article>
          <p v-if="found.columns.some((column) => !column.is_current)" class="amber">
            Out of date, as its variant was changed since:
            {{
              found.columns
                .filter((column) => !column.is_current && column.key.startsWith('v'))
                .map((column) => column.name)
                .join(', ') || 'earlier plans are of what was asked then'
            }}.
          </p>
          <BesideTables :found="found" :may-edit="mayEdit" @take="(variant, source, field) => takeOver(variant, source, [field])">
            <h2>Nodes by zone</h2>
            <BesideLanes :columns="found.columns" />
            <FoldedTable title="The same as a table" name="nodes of each plan">
              <thead>
                <tr>
                  <th>plan</th>
                  <th>zone</th>
                  <th>pool</th>
                  <th class="number">nodes</th>
                </tr>
              </thead>
              <tbody>
                <template v-for="column in found.columns" :key="column.key">
                  <tr v-for="entry in column.nodes" :key="`${entry.zone} ${poolName(entry)}`">
                    <td>{{ column.name }}</td>
                    <td>{{ entry.zone }}</td>
                    <td>{{ poolName(entry) }}</td>
                    <td class="number">{{ entry.count }}</td>
                  </tr>
                </template>
              </tbody>
            </FoldedTable>
          </BesideTables>
        </template>
        <p v-else-if="!error && !query.isPending.value" class="quiet">There is no plan of this study yet. Compute one under Fit.</p>
      </section>
    </div>
  </StudyPage>
</template>

<style scoped>
.columns {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 300px minmax(0, 1fr);
}
aside {
  overflow: auto;
  padding: 12px 14px;
  border-right: 1px solid var(--line);
  display: grid;
  gap: 8px;
  align-content: start;
  font-size: 12.5px;
}
.beside {
  overflow: auto;
  padding: 14px 20px 24px;
  display: grid;
  gap: 16px;
  align-content: start;
  font-size: 12.5px;
}
article {
  display: grid;
  gap: 6px;
}
.told {
  margin: 0;
  padding-left: 18px;
  max-width: 880px;
}
.other {
  display: flex;
  gap: 8px;
  align-items: center;
}
.other input {
  accent-color: var(--petrol);
}
.link {
  color: var(--madder);
  text-decoration: underline;
  font-size: 12px;
  font-weight: 400;
  margin-left: 12px;
}
.amber {
  color: var(--amber);
}
</style>
