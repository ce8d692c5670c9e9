<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Culprit, Rehearsal, RehearsedAddress } from '../../core/contracts/server-rules.ts'
import { RULE_TITLES } from '../../core/server-rules/server-rules.ts'
import { bytes, when } from '../format/show.ts'
import NoteBox from '../ui/NoteBox.vue'

/** What rules changed and broke in a rehearsal. */
const props = defineProps<{ rehearsal: Rehearsal }>()
const emit = defineEmits<{ leaveOut: [culprit: Culprit]; fetch: [] }>()

const MOST_SHOWN = 12
const result = computed(() => props.rehearsal.result)
const KINDS = { good: 'info', 'no-server': 'warning' } as const
const kind = computed(() => KINDS[result.value?.outcome as keyof typeof KINDS] ?? 'error')
const HEADINGS = { good: 'Rehearsed: nothing breaks.', 'no-server': 'Not rehearsed.' } as const
const heading = computed(() => HEADINGS[result.value?.outcome as keyof typeof HEADINGS] ?? 'Rehearsed: not ready.')
const showsAll = ref(false)
/** What breaks comes first. */
const addresses = computed(() =>
  [...(result.value?.addresses ?? [])].sort((one, other) => other.broken.length - one.broken.length),
)
const shown = computed(() => (showsAll.value ? addresses.value : addresses.value.slice(0, MOST_SHOWN)))
/** Fields whose value tells what visitors gain; of the others the name is enough. */
const TELLING = ['content-encoding', 'cache-control', 'location', 'set-cookie', 'content-type']
const changesOf = ({ changed }: RehearsedAddress): string => {
  const told = changed.filter(({ field }) => TELLING.includes(field))
  const others = changed.filter(({ field }) => !TELLING.includes(field)).map(({ field }) => field)
  const words = told.map(({ field, after }) => (after === null ? `no ${field}` : `${field}: ${after}`))
  return [...words, ...(others.length > 0 ? [`also ${others.join(', ')}`] : [])].join('; ')
}
</script>

<template>
  <div v-if="result" class="result">
    <NoteBox :kind="kind">
      <p role="status">
        <b>{{ heading }}</b>
        {{ result.sentence.replace(/^Nothing breaks: /, '') }}
      </p>
      <v-btn v-if="result.outcome === 'no-server'" size="small" @click="emit('fetch')">Fetch it and rehearse</v-btn>
      <p v-else class="muted small">
        {{ when(rehearsal.at) }}, on {{ result.version ?? 'no web server' }} over a copy of your pages and files.
      </p>
    </NoteBox>
    <ul v-if="result.culprits.length > 0" class="culprits">
      <li v-for="one in result.culprits" :key="one.rule + one.text">
        <p>
          {{ one.line === null ? 'All of' : `Line ${one.line},` }} {{ RULE_TITLES[one.rule].toLowerCase() }}:
          <code>{{ one.text }}</code>
        </p>
        <p>{{ one.sentence }}</p>
        <v-btn size="small" @click="emit('leaveOut', one)">Leave it out</v-btn>
      </li>
    </ul>
    <p v-for="one in result.unlike" :key="one" class="small">{{ one }}</p>
    <details v-if="result.notUsed.length > 0">
      <summary>Lines of the present file that the rehearsal did without ({{ result.notUsed.length }})</summary>
      <ul>
        <li v-for="one in result.notUsed" :key="one.line">
          Line {{ one.line }}: <code>{{ one.text }}</code> {{ one.why }}
        </li>
      </ul>
    </details>
    <div v-if="addresses.length > 0" class="scroll" tabindex="0">
      <table class="figures">
        <caption class="visually-hidden">
          What the rules change for each address
        </caption>
        <thead>
          <tr>
            <th scope="col">Address</th>
            <th scope="col" class="number">Status</th>
            <th scope="col" class="number">Size now</th>
            <th scope="col" class="number">With these rules</th>
            <th scope="col">What changes</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in shown" :key="one.path">
            <th scope="row" class="path">{{ one.path }}</th>
            <td class="number">
              {{
                one.before.status === one.after.status ? one.after.status : `${one.before.status} → ${one.after.status}`
              }}
            </td>
            <td class="number">{{ bytes(one.before.bytes) }}</td>
            <td class="number">{{ bytes(one.after.bytes) }}</td>
            <td class="changes">
              <span v-for="sentence in one.broken" :key="sentence" class="broken">{{ sentence }}</span>
              {{ changesOf(one) || 'Nothing' }}
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <v-btn v-if="addresses.length > shown.length" size="small" variant="text" @click="showsAll = true">
      Show all {{ addresses.length }} addresses
    </v-btn>
  </div>
</template>

<style scoped>
.result {
  display: grid;
  gap: 0.6rem;
  margin: 0.8rem 0;
}
.culprits {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 0.8rem;
}
.culprits p {
  margin: 0 0 0.2rem;
  max-width: none;
}
code {
  overflow-wrap: anywhere;
}
.path,
.changes {
  overflow-wrap: anywhere;
  vertical-align: top;
}
.path {
  min-width: 8rem;
  font-weight: 500;
}
.changes {
  min-width: 16rem;
  font-size: 0.85rem;
}
.figures :is(td, th) {
  vertical-align: top;
}
.number {
  white-space: nowrap;
}
.broken {
  display: block;
  color: rgb(var(--v-theme-error));
}
</style>
