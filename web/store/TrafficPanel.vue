<script setup lang="ts">
import { computed } from 'vue'
import { PATIENCE_MS, type EdgeSums, type Traffic } from '../../core/contracts/delivery.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import CourseBars from '../charts/HourlyBars.vue'
import { bytes, howMany, seconds, when, whole } from '../format/show.ts'
import NoteBox from '../ui/NoteBox.vue'

/** What delivery answered, how, and why: from its own decision log. */
const props = defineProps<{ traffic: Traffic & { readonly atEdges?: EdgeSums | null }; site: Site }>()
/** A kind by the name the check of the site gave it; one the owner named has its own. */
const kindName = (kind: string): string => props.site.check.kinds.find(({ pattern }) => pattern === kind)?.name ?? kind
const live = computed(() => props.traffic.channels.find(({ channel }) => channel === 'live'))
const late = computed(() =>
  props.traffic.channels
    .filter((one) => one.late > 0)
    .map((one) => `${howMany(one.late, 'page')} of ${one.channel}`)
    .join(' and '),
)
const ratio = computed(() =>
  live.value === undefined || live.value.requests === 0 ? null : (100 * live.value.hits) / live.value.requests,
)
const outcomes = computed(() => Object.entries(live.value?.outcomes ?? {}).sort((a, b) => b[1] - a[1]))
/** Those of home and of the edges, as they came. */
const recent = computed(() =>
  [
    ...props.traffic.recent.map((record) => ({ ...record, to: record.channel as string })),
    ...(props.traffic.atEdges?.recent ?? []).map((record) => ({
      ...record,
      to: `${record.channel} at ${record.edge}`,
    })),
  ]
    .toSorted((a, b) => b.at - a.at)
    .slice(0, 12),
)
const percent = (part: number, all: number): string => (all === 0 ? '–' : `${((100 * part) / all).toFixed(0)}%`)
/** The hop that answered: the one nearest to the visitor (RFC 9211). */
const shortStatus = (text: string): string => text.replace(/^.*zest-lamp(?:-edge)?; /, '')
</script>

<template>
  <div class="bar head">
    <h2>Visitors' requests since {{ when(new Date(traffic.since).toISOString()) }}</h2>
  </div>
  <p v-if="live === undefined || live.requests === 0">Live has had no requests yet.</p>
  <p v-else>
    {{ whole(live.requests) }} requests to {{ site.liveHost
    }}<template v-if="ratio !== null">, {{ ratio.toFixed(0) }}% answered from the store</template>,
    {{ bytes(live.bytes) }} sent, {{ percent(live.hitBytes, live.bytes) }} of it from the store. Hits have saved
    visitors {{ roughlyInWords(live.savedMs / 1000) }} of server wait, and your server (origin)
    {{ whole(live.hits) }} requests. The store holds {{ whole(live.storedAddresses) }} responses,
    {{ bytes(live.storedBytes) }}.
  </p>
  <p v-if="traffic.atEdges">
    Your {{ howMany(traffic.atEdges.edges, 'edge') }} received {{ howMany(traffic.atEdges.requests, 'request') }} from
    visitors, {{ percent(traffic.atEdges.hits, traffic.atEdges.requests) }} answered from their own stores,
    {{ bytes(traffic.atEdges.bytes) }} sent. What they passed on is counted above too.
  </p>
  <p v-if="live && live.earlyHints > 0">
    {{ howMany(live.earlyHints, 'page') }} announced with 103 Early Hints while visitors waited for your server
    (origin).
  </p>
  <p v-if="live && live.prefetches.served + live.prefetches.refused > 0">
    {{ howMany(live.prefetches.served, 'page') }} fetched ahead from the store ({{ bytes(live.prefetches.bytes) }},
    {{ percent(live.prefetches.bytes - live.prefetches.usedBytes, live.prefetches.bytes) }} of it for nothing so far),
    not counted as visits. {{ whole(live.prefetches.refused) }} refused, because your server (origin) would have had to
    answer.
  </p>
  <p v-if="live && live.prefetches.opened > 0">
    {{ percent(live.prefetches.ready, live.prefetches.opened) }} of {{ howMany(live.prefetches.opened, 'page') }} opened
    from another page of the site were there before the click.
  </p>
  <p v-if="live && live.prefetches.caution !== 'none'" class="late">
    More was fetched for nothing than you allow. Until that improves, pages are only fetched when visitors
    {{ live.prefetches.caution === 'pressed' ? 'press' : 'point at or press' }} their link.
  </p>
  <p v-if="late !== ''" class="late">
    {{ late }} sent unchanged, because rewriting took longer than the {{ PATIENCE_MS / 1000 }} s that a visitor may
    wait. The page cache helps, because it stores rewritten pages; so do fewer remedies that change pages.
  </p>
  <template v-if="traffic.unrewritten.length > 0">
    <p class="unrewritten">
      Rewriting failed for {{ howMany(traffic.unrewritten.length, 'page') }}, which
      {{ traffic.unrewritten.length === 1 ? 'is' : 'are' }} sent unchanged until the next try. A purge retries at once.
    </p>
    <ul class="failed">
      <li v-for="page in traffic.unrewritten" :key="`${page.channel} ${page.target} ${page.againAt}`">
        <code>{{ page.target }}</code> of {{ page.channel }}: {{ page.why }}. Tried
        {{ page.tries === 1 ? 'once' : howMany(page.tries, 'time') }}, again after
        {{ when(new Date(page.againAt).toISOString()) }}.
      </li>
    </ul>
  </template>
  <NoteBox v-if="traffic.storeProblem" kind="error" class="problem">{{ traffic.storeProblem }}</NoteBox>
  <CourseBars v-if="live && live.course.length > 0" :course="live.course" />
  <div v-if="live && live.kinds.length > 0" class="scroll">
    <table class="figures">
      <caption class="visually-hidden">
        Requests by kind of page
      </caption>
      <thead>
        <tr>
          <th scope="col">Kind</th>
          <th scope="col" class="num">Requests</th>
          <th scope="col" class="num">From the store</th>
          <th scope="col" class="num">Of the bytes</th>
          <th scope="col" class="num">Cold per 1,000</th>
          <th scope="col" class="num">Server wait saved</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="kind in live.kinds.slice(0, 20)" :key="kind.kind">
          <th scope="row">{{ kindName(kind.kind) }}</th>
          <td class="num">{{ whole(kind.requests) }}</td>
          <td class="num">{{ percent(kind.hits, kind.requests) }}</td>
          <td class="num">{{ percent(kind.hitBytes, kind.bytes) }}</td>
          <td class="num">
            {{ kind.pageVisits === 0 ? '–' : whole((1000 * kind.coldVisits) / kind.pageVisits) }}
          </td>
          <td class="num">{{ seconds(kind.savedMs) }}</td>
        </tr>
      </tbody>
    </table>
  </div>
  <div class="two">
    <div class="scroll">
      <table class="figures">
        <caption class="visually-hidden">
          How requests to live were answered
        </caption>
        <thead>
          <tr>
            <th scope="col">Answered how (live)</th>
            <th scope="col" class="num">Requests</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="[name, count] in outcomes" :key="name">
            <td>{{ name }}</td>
            <td class="num">{{ whole(count) }}</td>
          </tr>
          <tr v-if="outcomes.length === 0">
            <td colspan="2" class="muted">No request yet.</td>
          </tr>
        </tbody>
      </table>
    </div>
    <div class="scroll">
      <table class="figures small">
        <caption class="visually-hidden">
          The newest decisions
        </caption>
        <thead>
          <tr>
            <th scope="col">Latest requests</th>
            <th scope="col">To</th>
            <th scope="col" class="num">Status</th>
            <th scope="col">Decision</th>
            <th scope="col" class="num">Duration</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(record, index) in recent" :key="index">
            <td>
              <code>{{ record.method }} {{ record.target }}</code>
            </td>
            <td>{{ record.to }}</td>
            <td class="num">{{ record.status }}</td>
            <td>
              <code>{{ shortStatus(record.cacheStatus) }}</code>
            </td>
            <td class="num">{{ record.tookMs.toFixed(0) }} ms</td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped>
.head {
  justify-content: space-between;
}
.failed {
  margin-bottom: 1rem;
  padding-left: 1.5rem;
}
.two {
  display: grid;
  grid-template-columns: minmax(240px, 1fr) minmax(0, 3fr);
  gap: 1rem;
  align-items: start;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
