<script setup lang="ts">
import { ref } from 'vue'
import type { Audience } from '../../core/contracts/regions.ts'
import type { LoggedAudience } from '../../core/edges/logged-audience.ts'
import { howMany, whole } from '../format/show.ts'
import ActionButton from '../ui/ActionButton.vue'
import NoteBox from '../ui/NoteBox.vue'
import { linesOf } from './lines-of-file.ts'

/** Where visitors are, from an access log and a table of networks. Both are read in this browser: no address of a visitor leaves it. */
const emit = defineEmits<{ counted: [audience: Audience[]] }>()

/** A plan holds no more places; the rest are few visits each. */
const MOST_PLACES = 60
const log = ref<File | null>(null)
const networks = ref<File | null>(null)
const progress = ref<number | null>(null)
const problems = ref<readonly string[]>([])
const words = ref('')
let cancelled = false

const chosen = (event: Event): File | null => (event.target as HTMLInputElement).files?.[0] ?? null
const sentence = ({ audience, visits, unplaced, notUnderstood }: LoggedAudience): string => {
  if (visits === 0)
    return notUnderstood > 0
      ? 'No line is in a known format: Common or Combined Log Format.'
      : 'This log contains no page visits.'
  if (audience.length === 0)
    return `None of the page visits (${whole(visits)}) came from a network in the table. Does the log hold the addresses of visitors, or those of a proxy?`
  const placed = `${howMany(visits - unplaced, 'page visit')} from ${howMany(audience.length, 'place')}`
  return unplaced === 0 ? `${placed}.` : `${placed}, ${whole(unplaced)} from networks not in the table.`
}
const read = async (): Promise<void> => {
  if (log.value === null || networks.value === null) return
  progress.value = 0
  cancelled = false
  const { LoggedVisits, readNetworks } = await import('../../core/edges/logged-audience.ts')
  const table = readNetworks(await networks.value.text())
  problems.value = table.problems.slice(0, 10)
  const visits = new LoggedVisits(table)
  try {
    for await (const { lines, share } of linesOf(log.value)) {
      if (cancelled) return
      for (const line of lines) visits.add(line)
      progress.value = share
    }
    const result = visits.result()
    words.value = sentence(result)
    if (result.audience.length > 0) emit('counted', result.audience.slice(0, MOST_PLACES))
  } catch {
    words.value = 'The log cannot be read to its end. Is it a text file, or one packed by gzip?'
  } finally {
    progress.value = null
  }
}
</script>

<template>
  <details>
    <summary>Count an access log</summary>
    <p class="small muted">
      You need the access log of your web server, and a table of where networks are: CSV with the columns network, name,
      latitude and longitude, such as <code>198.51.100.0/24,Orrin,57.1,-7.2</code>. Both are read in this browser;
      addresses of visitors are not sent anywhere.
    </p>
    <div class="bar">
      <label class="file">
        Access log <input type="file" accept=".log,.txt,.gz,text/plain" @change="log = chosen($event)" />
      </label>
      <label class="file">
        Networks (CSV) <input type="file" accept=".csv,text/csv" @change="networks = chosen($event)" />
      </label>
      <ActionButton
        size="small"
        :disabled="log === null || networks === null"
        :under-way="progress !== null"
        @click="read"
        >Count page visits</ActionButton
      >
      <template v-if="progress !== null">
        <progress :value="progress" max="1" aria-label="Reading the log" />
        <v-btn size="small" @click="cancelled = true">Cancel</v-btn>
      </template>
      <span role="status" class="small muted">{{ words }}</span>
    </div>
    <NoteBox v-if="problems.length > 0" kind="warning">
      <p v-for="problem in problems" :key="problem">{{ problem }}</p>
    </NoteBox>
  </details>
</template>

<style scoped>
.bar {
  display: flex;
  flex-wrap: wrap;
  gap: 0.6rem;
  align-items: center;
}
.file {
  display: inline-flex;
  gap: 0.4rem;
  align-items: center;
}
</style>
