<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Report } from '../../core/contracts/report.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { fileName, saveFile } from '../export/save.ts'
import { rulerScale } from '../ruler/scale.ts'
import SecondsRuler from '../ruler/SecondsRuler.vue'
import { useProblems } from '../stores/problems.ts'
import { loadReport } from '../stores/setup-files.ts'
import { SAFETY_WORDS } from '../trial/result-words.ts'
import { bytes, seconds, when, whole, pageName } from '../format/show.ts'
import SelectField from '../ui/SelectField.vue'

/** Before and after for a client: to print, to save as PDF by the browser's print, and as JSON. */
const props = defineProps<{ site: Site }>()
const problems = useProblems()
const state = ref<Report['state']>('live')
const report = ref<Report | null>(null)
const STATES = [
  { value: 'live', title: 'What visitors get' },
  { value: 'trial', title: 'The trial (what visitors would get)' },
]
watch(
  state,
  async (wanted) => {
    report.value = (await problems.catching(() => loadReport(props.site.id, wanted))) ?? null
  },
  { immediate: true },
)
const scale = computed(() =>
  rulerScale((report.value?.pages ?? []).flatMap(({ before, after }) => [before.lcpMs, after.lcpMs])),
)
const print = (): void => window.print()
const save = (): void =>
  saveFile(fileName([props.site.name, 'report'], 'json'), 'application/json', JSON.stringify(report.value, null, 2))
const picture = (jpeg: string): string => `data:image/jpeg;base64,${jpeg}`
</script>

<template>
  <div class="bar no-print">
    <router-link :to="{ name: 'ledger', params: { siteId: site.id } }">Ledger</router-link>
    <SelectField v-model="state" class="state" :items="STATES" label="After is" />
    <v-btn :disabled="!report" @click="print">Print or save as PDF</v-btn>
    <v-btn :disabled="!report" @click="save">Save as JSON</v-btn>
  </div>
  <p v-if="!report" class="muted" role="status">Preparing the report …</p>
  <article v-else class="report">
    <h1>{{ report.site.name }}: before and after</h1>
    <p class="muted">
      {{ report.site.address }}, {{ when(report.madeAt)
      }}<template v-if="report.version">, setup version {{ report.version }}</template
      ><template v-else>, not published</template>
    </p>
    <p v-for="sentence in report.summary" :key="sentence" class="summary">{{ sentence }}</p>

    <section v-for="page in report.pages" :key="page.path + page.visitorName" class="page">
      <h2>
        {{ pageName(page.path) }} <span class="muted">as “{{ page.visitorName }}”</span>
      </h2>
      <SecondsRuler
        :scale="scale"
        :origin="page.before.lcpMs"
        :live="report.state === 'live' ? page.after.lcpMs : null"
        :trial="report.state === 'trial' ? page.after.lcpMs : null"
        :floor-ms="page.floorMs"
        :about="`${page.path} as “${page.visitorName}”`"
      />
      <table class="figures">
        <thead>
          <tr>
            <th scope="col"></th>
            <th scope="col" class="num">Main content</th>
            <th scope="col" class="num">Fully loaded</th>
            <th scope="col" class="num">Requests</th>
            <th scope="col" class="num">Sent</th>
            <th scope="col">Measured</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="[name, one, at] in [
              ['Before', page.before, page.beforeAt],
              ['After', page.after, page.afterAt],
            ] as const"
            :key="name"
          >
            <th scope="row">{{ name }}</th>
            <td class="num">
              <b>{{ seconds(one.lcpMs) }}</b>
            </td>
            <td class="num">{{ seconds(one.loadedMs) }}</td>
            <td class="num">{{ whole(one.requests) }}</td>
            <td class="num">{{ bytes(one.sentBytes) }}</td>
            <td>{{ when(at) }}</td>
          </tr>
        </tbody>
      </table>
      <div v-if="page.frames" class="strips">
        <template v-for="name in ['before', 'after'] as const" :key="name">
          <b>{{ name === 'before' ? 'Before' : 'After' }}</b>
          <div class="strip">
            <figure v-for="frame in page.frames[name]" :key="frame.atMs">
              <img :src="picture(frame.jpeg)" :alt="`${name}, after ${seconds(frame.atMs)}`" />
              <figcaption>{{ seconds(frame.atMs) }}</figcaption>
            </figure>
          </div>
        </template>
      </div>
    </section>

    <h2>What was changed, and what it gained</h2>
    <p v-if="report.changes.length === 0">Nothing yet.</p>
    <div v-else class="scroll">
      <table class="figures">
        <thead>
          <tr>
            <th scope="col">Change</th>
            <th scope="col">Main content faster by (95% interval)</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="change in report.changes" :key="change.what">
            <td>
              {{ change.what }}
              <span v-for="one in change.exceptions" :key="one" class="muted small"><br />excluded {{ one }}</span>
            </td>
            <td>{{ change.worth }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <p v-if="report.safety">
      Safety check of {{ when(report.safety.at) }}: <b>{{ SAFETY_WORDS[report.safety.result] }}</b>.
      {{ report.safety.sentence }}
    </p>
    <h2>What remains</h2>
    <p v-if="report.remains.length === 0">Nothing significant that Zest Lamp knows of.</p>
    <ul v-else>
      <li v-for="sentence in report.remains" :key="sentence">{{ sentence }}</li>
    </ul>
  </article>
</template>

<style scoped>
.state {
  max-width: 260px;
}
.report {
  margin-top: 0.8rem;
  max-width: 900px;
}
.summary {
  font-size: 1.12rem;
  max-width: none;
}
.page {
  break-inside: avoid;
  margin: 1.2rem 0;
}
.strips {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 0.4rem 0.8rem;
  margin-top: 0.7rem;
}
.strip {
  display: grid;
  grid-template-columns: repeat(6, minmax(0, 1fr));
  gap: 0.4rem;
}
figure {
  margin: 0;
}
img {
  width: 100%;
  border: 1px solid rgb(var(--v-theme-line));
  display: block;
}
figcaption {
  font-size: 0.78rem;
  text-align: center;
}
ul {
  padding-left: 1.2rem;
}
@media (max-width: 760px) {
  .report {
    overflow-wrap: anywhere;
  }
  .report table {
    display: block;
    overflow-x: auto;
  }
}
@media print {
  .no-print {
    display: none;
  }
}
</style>
