<script setup lang="ts">
import ActionButton from '../components/ActionButton.vue'
import { computed, ref } from 'vue'
import type { LedgerEntry } from '../../core/contracts/ledger.ts'
import type { Site, Version } from '../../core/contracts/sites.ts'
import SecondsRuler from '../ruler/SecondsRuler.vue'
import { rulerScale } from '../ruler/scale.ts'
import { useBench } from '../stores/bench.ts'
import { useProblems } from '../stores/problems.ts'
import { seconds, when } from '../words/show.ts'

const props = defineProps<{ site: Site }>()
const bench = useBench()
const problems = useProblems()
const target = ref<Version | null>(null)
const asking = ref(false)
const working = ref(false)

const DECISIONS: Record<LedgerEntry['decision'], string> = {
  open: 'undecided',
  kept: 'kept',
  'backed-out': 'backed out',
  none: '',
}
const KINDS = {
  faster: 'faster',
  slower: 'slower',
  broken: 'broken',
  'no-difference': 'no measurable difference',
  'too-few': 'too few runs to tell',
} as const
const scale = computed(() =>
  rulerScale(
    bench.ledger.flatMap(({ results }) =>
      results.flatMap(({ sides }) => sides.map(({ medians }) => medians.lcpMs)),
    ),
  ),
)
const lcp = (result: LedgerEntry['results'][number], side: string): number | null =>
  result.sides.find((one) => one.side === side)?.medians.lcpMs ?? null
const gain = (result: LedgerEntry['results'][number]): string => {
  const verdict = result.verdict
  const interval = verdict?.gains.lcpMs
  if (!verdict || !interval) return ''
  return `${seconds(interval.shift)} (${seconds(interval.low)} to ${seconds(interval.high)})`
}
const ask = (version: Version): void => {
  target.value = version
  asking.value = true
}
const stepBack = async (): Promise<void> => {
  working.value = true
  await problems.catching(() => bench.stepBack(target.value!.number))
  working.value = false
  asking.value = false
}
const verb = (version: Version): string =>
  version.number < props.site.liveVersion ? 'Step back to' : 'Go forward to'
</script>

<template>
  <h1 class="visually-hidden">Ledger</h1>
  <h2 class="first">Setup versions</h2>
  <div class="scroll">
    <table class="bench">
      <thead>
        <tr>
          <th scope="col">Version</th>
          <th scope="col">Published</th>
          <th scope="col">By</th>
          <th scope="col">Changed against the one before</th>
          <th scope="col">Note</th>
          <th scope="col">For visitors</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="version in bench.versions" :key="version.number">
          <th scope="row" class="num">Version {{ version.number }}</th>
          <td>{{ when(version.publishedAt) }}</td>
          <td>{{ version.publishedBy }}</td>
          <td>{{ version.changes.join(', ') || 'Nothing switched on' }}</td>
          <td>{{ version.note }}</td>
          <td>
            <strong v-if="version.live">what visitors get</strong>
            <v-btn v-else size="small" @click="ask(version)">{{ verb(version) }} {{ version.number }}</v-btn>
          </td>
        </tr>
      </tbody>
    </table>
  </div>

  <h2>Everything that was tried</h2>
  <p v-if="bench.ledger.length === 0" class="muted">Nothing yet.</p>
  <ol class="entries">
    <li v-for="entry in bench.ledger" :key="entry.id" class="panel">
      <div class="line">
        <strong>{{ entry.title }}</strong>
        <span v-if="DECISIONS[entry.decision]" class="decision"
          >{{ DECISIONS[entry.decision]
          }}<template v-if="entry.decision === 'kept' && entry.version"
            >, version {{ entry.version }}</template
          ></span
        >
        <span class="muted small when">{{ when(entry.at) }}, {{ entry.by }}</span>
      </div>
      <p v-if="entry.changes.length > 0">{{ entry.changes.join(', ') }}</p>
      <div v-if="entry.results.length > 0" class="scroll">
        <table class="bench">
          <thead>
            <tr>
              <th scope="col">Page</th>
              <th scope="col">Visitor</th>
              <th scope="col">Measured</th>
              <th scope="col">Gain (95 % interval)</th>
              <th scope="col" class="wide">0 to {{ scale.endMs / 1000 }} s</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="result in entry.results" :key="result.pageId + result.visitorId">
              <th scope="row">{{ result.path === '/' ? 'Home page' : result.path }}</th>
              <td>{{ result.visitorName }}</td>
              <td :class="{ failed: result.verdict?.kind === 'broken' }">
                {{ result.verdict ? KINDS[result.verdict.kind] : seconds(result.sides[0]?.medians.lcpMs) }}
              </td>
              <td>{{ gain(result) || '–' }}</td>
              <td class="wide">
                <SecondsRuler
                  compact
                  :scale="scale"
                  :origin="lcp(result, 'origin')"
                  :live="lcp(result, 'live')"
                  :trial="lcp(result, 'trial')"
                  :floor-ms="result.floorMs"
                  :about="`${result.path} on ${result.visitorName}`"
                />
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <router-link
        v-if="entry.measurementId"
        class="small"
        :to="{ name: 'measurement', params: { siteId: site.id, measurementId: entry.measurementId } }"
        >The measurement</router-link
      >
    </li>
  </ol>

  <v-dialog v-model="asking" max-width="520" aria-label="Change the version visitors get">
    <div v-if="target" class="panel dialog">
      <h2 class="first">{{ verb(target) }} version {{ target.number }}?</h2>
      <p>
        Visitors get it at once, the store is emptied, and the trial is set to it too. Version
        {{ site.liveVersion }} stays in the ledger.
      </p>
      <div class="bar end">
        <v-btn @click="asking = false">Stay</v-btn>
        <ActionButton color="primary" variant="flat" :under-way="working" @click="stepBack"
          >{{ verb(target) }} version {{ target.number }}</ActionButton
        >
      </div>
    </div>
  </v-dialog>
</template>

<style scoped>
.first {
  margin-top: 0;
}
.entries {
  list-style: none;
  padding: 0;
  display: grid;
  gap: 0.6rem;
}
.line {
  display: flex;
  gap: 0.4rem 1rem;
  flex-wrap: wrap;
  align-items: baseline;
}
.when {
  margin-left: auto;
}
.decision {
  border: 1px solid rgb(var(--v-theme-line));
  padding: 0 0.5em;
}
.entries p {
  margin: 0.2rem 0 0.5rem;
}
.wide {
  width: 34%;
  min-width: 170px;
}
.failed {
  color: rgb(var(--v-theme-error));
}
</style>
