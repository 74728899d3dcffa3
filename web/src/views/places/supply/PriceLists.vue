<script setup lang="ts">
import { NButton, useMessage } from 'naive-ui'
import { computed, ref } from 'vue'
import type { BenchActions } from '../../../api/bench'
import { useListActions, useProviders, useRates } from '../../../api/catalogue'
import { underWay, type Bench, type Problem, type Provider } from '../../../api/client'
import { day, plural } from '../../../domain/format'
import FaultList from '../../../ui/FaultList.vue'
import ListFile from './ListFile.vue'
import ListReading from './ListReading.vue'
import RateForm from './RateForm.vue'

/** Providers with their dated price lists: read anew, compared, taken; files in and out; rates. */
defineProps<{ bench: Bench; benchActions: BenchActions; mayEdit: boolean }>()
const providers = useProviders()
const rates = useRates()
const actions = useListActions()
const message = useMessage()
const importing = ref(false)
const error = computed(() => (actions.read.error.value ?? actions.take.error.value) as Problem | null)
const busy = (provider: Provider) => underWay(provider.reading)
const shown = (provider: Provider) => provider.reading !== null && !['taken', 'discarded'].includes(provider.reading.status)

function take(reading: number): void {
  actions.take.mutate(reading, {
    onSuccess: (edition) => message.success(`Taken as the list of ${day(edition.dated)}; variants keep theirs until told otherwise.`),
  })
}
</script>

<template>
  <div class="lists">
    <FaultList v-if="error" :title="error.message" :faults="error.faults" />
    <section v-for="provider in providers.data.value" :key="provider.id" class="provider" :aria-label="provider.name">
      <header>
        <h2>{{ provider.name }}</h2>
        <span class="quiet">{{ provider.has_service ? 'answers under its own address' : 'has no service; its list comes as a file' }}</span>
        <span class="grow" />
        <NButton
          v-if="mayEdit && provider.has_service"
          size="small"
          :loading="busy(provider)"
          :disabled="busy(provider)"
          @click="actions.read.mutate(provider.id)"
          >{{ busy(provider) ? 'reading' : 'Read its list now' }}</NButton
        >
      </header>
      <ListReading
        v-if="provider.reading && shown(provider)"
        :reading="provider.reading"
        :may-edit="mayEdit"
        :taking="actions.take.isPending.value"
        @stop="actions.stop.mutate(provider.reading.id)"
        @take="take(provider.reading.id)"
      />
      <table>
        <thead>
          <tr>
            <th>list of</th>
            <th>came</th>
            <th>taken by</th>
            <th class="number">types</th>
            <th class="number">offers</th>
            <th>currency</th>
            <th>used by</th>
            <th>as a file</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(edition, place) in provider.editions" :key="edition.id">
            <td>
              <strong>{{ day(edition.dated) }}</strong><span v-if="place === 0" class="quiet"> newest</span>
            </td>
            <td>
              {{ { service: 'from the service', file: 'from a file', demo: 'with the demo' }[edition.source] ?? edition.source
              }}<span v-if="edition.carried_over.length" class="amber">, {{ edition.carried_over.join(', ') }} as before</span>
            </td>
            <td>{{ edition.taken_by ?? '—' }}</td>
            <td class="number">{{ edition.types }}</td>
            <td class="number">{{ edition.offers }}</td>
            <td>{{ edition.currency }}</td>
            <td>{{ edition.studies.join(', ') || 'no study' }}</td>
            <td>
              <a :href="`/api/catalogue/editions/${edition.id}/files/price-list.json`" download>JSON</a> ·
              <a :href="`/api/catalogue/editions/${edition.id}/files/offers.csv`" download>CSV</a>
            </td>
          </tr>
        </tbody>
      </table>
      <details v-if="provider.editions[0]?.terms.length">
        <summary>
          Beside the offers: disks, control-plane tiers, fees, commitments and prices per use ({{ provider.editions[0].terms.length }})
        </summary>
        <ul>
          <li v-for="term in provider.editions[0].terms" :key="term.kind + term.name + term.unit">
            <span class="quiet">{{ term.kind }}</span> {{ term.name }}
            <span class="number">{{ term.price }} {{ provider.editions[0].currency }}</span> <span class="quiet">a {{ term.unit }}</span>
          </li>
        </ul>
      </details>
    </section>
    <section class="provider">
      <header>
        <h2>A list as a file</h2>
        <span class="quiet"
          >JSON whole (<a href="/api/catalogue/schema" download="price-list-1.schema.json">its schema</a>), or a CSV of offers; shown first,
          taken when you say so.</span
        >
        <span class="grow" />
        <NButton v-if="mayEdit" size="small" @click="importing = !importing">{{ importing ? 'Close' : 'Read a file' }}</NButton>
      </header>
      <ListFile v-if="importing" :actions="actions" @done="importing = false" />
    </section>
    <section class="provider">
      <header>
        <h2>Rates</h2>
        <span class="quiet"
          >A study keeps the rates it was made with:
          {{ bench.rate ? `${day(bench.rate.dated)} for this variant` : 'this variant needs none' }}.</span
        >
      </header>
      <table v-if="rates.data.value?.length" class="rates">
        <thead>
          <tr>
            <th>of</th>
            <th>one unit is worth</th>
            <th>source</th>
            <th>used by this study</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="sheet in rates.data.value" :key="sheet.id">
            <td>{{ day(sheet.dated) }}</td>
            <td>
              {{
                Object.entries(sheet.worth)
                  .map(([code, worth]) => `1 ${code} = ${worth} ${sheet.base}`)
                  .join(', ')
              }}
            </td>
            <td class="quiet">{{ sheet.source || 'not said' }}</td>
            <td>
              <span v-if="sheet.id === bench.study.rates_id" class="quiet">this study’s</span
              ><NButton
                v-else-if="mayEdit"
                size="tiny"
                :loading="benchActions.useRates.isPending.value"
                @click="benchActions.useRates.mutate(sheet.id)"
                >Use for this study</NButton
              >
            </td>
          </tr>
        </tbody>
      </table>
      <p v-else class="quiet">No rates are stated; {{ plural(1, 'currency') }} is enough while all lists are in the study’s.</p>
      <RateForm v-if="mayEdit" :actions="actions" :base="bench.study.currency" />
    </section>
  </div>
</template>

<style scoped>
.lists {
  padding: 12px 16px;
  overflow: auto;
  display: grid;
  gap: 22px;
  align-content: start;
  height: 100%;
}
.provider {
  display: grid;
  gap: 8px;
}
header {
  display: flex;
  gap: 12px;
  align-items: baseline;
}
.grow {
  flex: 1;
}
.amber {
  color: var(--amber);
}
.rates {
  max-width: 720px;
}
summary {
  cursor: pointer;
  color: var(--quiet);
}
ul {
  columns: 3;
  margin: 6px 0 0;
  padding: 0;
  list-style: none;
  font-size: 12px;
}
</style>
