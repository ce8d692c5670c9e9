<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import {
  compressionRow,
  compressionSums,
  letterToHost,
  type CompressedBy,
  type CompressionRow,
} from '../../core/audit/compression-check.ts'
import { CompressionPlan } from '../../core/contracts/compression-check.ts'
import { QuickCheck } from '../../core/contracts/quick-check.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { bytes } from '../format/show.ts'
import { useProblems } from '../stores/problems.ts'
import { useSite } from '../stores/site.ts'
import ActionButton from '../ui/ActionButton.vue'
import NoteBox from '../ui/NoteBox.vue'

/** Whether each type of text is compressed, by whom, how small it could be, and how to switch it on. */
const props = defineProps<{ site: Site }>()
const siteData = useSite()
const problems = useProblems()

const plan = shallowRef<CompressionPlan | null>(null)
const rows = shallowRef<readonly CompressionRow[]>([])
/** What the first check of this visit found, to stand beside later ones. */
const first = shallowRef<readonly CompressionRow[] | null>(null)
const busy = ref(false)
const copied = ref(false)
watch(
  () => props.site.id,
  () => {
    plan.value = null
    rows.value = []
    first.value = null
  },
)

const ask = (address: string): Promise<QuickCheck> =>
  callApi('POST', `/sites/${props.site.id}/quick-checks`, QuickCheck, { address })
const check = async (): Promise<void> => {
  busy.value = true
  copied.value = false
  await problems.catching(async () => {
    const found = await callApi('GET', `/sites/${props.site.id}/compression-plan`, CompressionPlan)
    plan.value = found
    if (rows.value.length === found.paths.length) first.value ??= rows.value
    rows.value = []
    for (const path of found.paths) {
      const origin = await ask(props.site.address + path)
      // Live may not be reached by its name from here.
      const live = await ask(props.site.liveUrl + path).catch(() => null)
      rows.value = [...rows.value, compressionRow(path, origin, live)]
    }
  })
  busy.value = false
}
const BY: Record<CompressedBy, string> = {
  nobody: 'Nobody',
  'your-server': 'Your server',
  'in-between': 'Your server, or a cache in front of it',
  'zest-lamp': 'Zest Lamp, at live',
  'not-needed': 'Nothing to gain',
}
const CODINGS: Record<string, string> = { gzip: 'gzip', br: 'Brotli', deflate: 'deflate', zstd: 'Zstandard' }
const codingName = (coding: string | null): string => (coding === null ? 'not compressed' : (CODINGS[coding] ?? coding))
const accepts = computed(
  () => (plan.value?.accepts ?? []).map((coding) => CODINGS[coding] ?? coding).join(', ') || 'no compression',
)
const isDone = computed(() => plan.value !== null && rows.value.length === plan.value.paths.length)
const sums = computed(() => compressionSums(rows.value))
const firstBytes = (path: string): number | undefined => first.value?.find((row) => row.path === path)?.origin.bytes
const isPlainAtOrigin = computed(() =>
  rows.value.some(({ by, origin }) => by !== 'not-needed' && origin.coding === null),
)
const isOnAtLive = computed(() => siteData.liveVersion?.setup.remedies.compression.enabled === true)
const letter = computed(() => letterToHost(props.site.publicAddress ?? props.site.address, rows.value))
const copy = async (): Promise<void> => {
  await navigator.clipboard.writeText(letter.value)
  copied.value = true
}
</script>

<template>
  <h2>Is it compressed?</h2>
  <p class="lead">
    The home page and one file of each type of text, as your server (origin) sends them and as live does.
  </p>
  <div class="bar">
    <ActionButton :under-way="busy" @click="check">{{
      rows.length > 0 ? 'Check again' : 'Check every type'
    }}</ActionButton>
    <span v-if="busy && plan" class="muted small" role="status"
      >{{ rows.length }} of {{ plan.paths.length }} checked</span
    >
  </div>
  <template v-if="rows.length > 0">
    <div class="scroll" tabindex="0">
      <table class="figures">
        <caption class="visually-hidden">
          Compression of each type of text
        </caption>
        <thead>
          <tr>
            <th scope="col">File</th>
            <th scope="col">Compressed by</th>
            <th scope="col" class="num">Your server sends</th>
            <th v-if="first" scope="col" class="num">First check</th>
            <th scope="col" class="num">Live sends</th>
            <th scope="col" class="num">gzip</th>
            <th scope="col" class="num">Brotli</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.path">
            <th scope="row" class="path">
              {{ row.path }}<span class="muted">{{ row.type }}</span>
            </th>
            <td>{{ BY[row.by] }}</td>
            <td class="num">
              {{ bytes(row.origin.bytes) }}<span class="muted">{{ codingName(row.origin.coding) }}</span>
            </td>
            <td v-if="first" class="num">{{ bytes(firstBytes(row.path)) }}</td>
            <td class="num">
              <template v-if="row.live">
                {{ bytes(row.live.bytes) }}<span class="muted">{{ codingName(row.live.coding) }}</span>
              </template>
              <template v-else>–</template>
            </td>
            <td class="num">{{ bytes(row.gzipBytes) }}</td>
            <td class="num">{{ bytes(row.brotliBytes) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <template v-if="isDone">
      <p role="status">
        Together your server sends {{ bytes(sums.origin) }}, live {{ bytes(sums.live) }}; with Brotli it could be
        {{ bytes(sums.best) }}.
      </p>
      <p class="muted small">
        This browser accepts {{ accepts }} from Zest Lamp. Browsers accept Brotli only over HTTPS or from this machine.
      </p>
      <NoteBox v-if="isPlainAtOrigin" kind="info">
        <p><b>Three ways to switch it on</b></p>
        <ul>
          <li>
            In front:
            <template v-if="isOnAtLive">the remedy Compression is on at live.</template>
            <RouterLink v-else :to="{ name: 'remedies', params: { siteId: site.id } }"
              >try the remedy Compression</RouterLink
            >
          </li>
          <li>
            In your server:
            <RouterLink :to="{ name: 'site', params: { siteId: site.id }, hash: '#server-rules' }"
              >take the lines under Site, Server rules</RouterLink
            >
          </li>
          <li>
            Ask your host:
            <details>
              <summary>Show the letter</summary>
              <pre class="letter" tabindex="0">{{ letter }}</pre>
              <v-btn size="small" @click="copy">{{ copied ? 'Copied' : 'Copy the letter' }}</v-btn>
            </details>
          </li>
        </ul>
      </NoteBox>
    </template>
  </template>
</template>

<style scoped>
.lead {
  margin: 0.2rem 0 0.6rem;
}
.bar,
.scroll {
  margin-bottom: 0.6rem;
}
.path {
  overflow-wrap: anywhere;
  min-width: 9rem;
}
.muted {
  display: block;
  font-size: 0.8rem;
  font-weight: 400;
}
span.muted.small {
  display: inline;
}
ul {
  margin: 0.2rem 0;
  padding-left: 1.2rem;
}
.letter {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
