<script setup lang="ts">
import type { WarmUpCause, WarmUpRound } from '../../core/contracts/warm-up.ts'
import { seconds, when, whole } from '../format/show.ts'

/** Rounds of the past: who started them, what they loaded, what the origin bore. */
defineProps<{ rounds: readonly WarmUpRound[] }>()

const CAUSES: Record<WarmUpCause, string> = {
  'by-hand': 'by hand',
  schedule: 'on schedule',
  start: 'at start',
  published: 'new version',
  changed: 'content changed',
  purged: 'purge',
  expiring: 'pages about to expire',
}
const STATES: Record<WarmUpRound['state'], string> = {
  queued: 'waiting',
  running: 'under way',
  done: 'done',
  failed: 'failed',
  cancelled: 'cancelled',
}
</script>

<template>
  <h2>Rounds</h2>
  <div class="scroll" tabindex="0" role="region" aria-label="Warm-up rounds">
    <table class="figures">
      <thead>
        <tr>
          <th scope="col">Started</th>
          <th scope="col">Because</th>
          <th scope="col">State</th>
          <th scope="col" class="num">Pages</th>
          <th scope="col" class="num">Files</th>
          <th scope="col" class="num">Still fresh</th>
          <th scope="col" class="num">Not stored</th>
          <th scope="col" class="num">Failed</th>
          <th scope="col" class="num">Requests</th>
          <th scope="col" class="num">Server wait</th>
          <th scope="col" class="num">Quiet</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="round in rounds" :key="round.id">
          <th scope="row">{{ when(round.at) }}</th>
          <td>{{ CAUSES[round.cause] }}</td>
          <td>{{ STATES[round.state] }}</td>
          <td class="num">{{ whole(round.pages) }}</td>
          <td class="num">{{ whole(round.files) }}</td>
          <td class="num">{{ whole(round.fresh) }}</td>
          <td class="num">{{ whole(round.notStored) }}</td>
          <td class="num">{{ whole(round.failed) }}</td>
          <td class="num">{{ whole(round.requests) }}</td>
          <td class="num">{{ seconds(round.waitMs) }}</td>
          <td class="num">{{ seconds(round.quietMs) }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
