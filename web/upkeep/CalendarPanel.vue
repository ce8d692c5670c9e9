<script setup lang="ts">
import { computed, shallowRef } from 'vue'
import { Calendar, type CalendarEntry, type CalendarWork } from '../../core/contracts/calendar.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useProblems } from '../stores/problems.ts'
import NoteBox from '../ui/NoteBox.vue'

/** Everything that will run by itself in the next two weeks, and what is in the way of what. */
const props = defineProps<{ site: Site }>()
const problems = useProblems()
const calendar = shallowRef<Calendar | null>(null)
void problems
  .catching(() => callApi('GET', `/sites/${props.site.id}/calendar`, Calendar))
  .then((came) => (calendar.value = came ?? null))

const NAMES: Record<CalendarWork, string> = {
  retest: 'Retest',
  backup: 'Backup of the database',
  'clean-up': 'Clean-up of the database',
  pictures: 'New pictures found and made lighter',
  'warm-up': 'Warm-up',
  certificate: 'Certificate renewed',
}
const DAY = new Intl.DateTimeFormat('en-GB', { weekday: 'short', day: 'numeric', month: 'short' })
const TIME = new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit', hourCycle: 'h23' })
const days = computed(() => {
  const found = new Map<string, CalendarEntry[]>()
  for (const entry of calendar.value?.entries ?? []) {
    const day = DAY.format(new Date(entry.at))
    found.set(day, [...(found.get(day) ?? []), entry])
  }
  return [...found]
})
const long = (ms: number | null): string =>
  ms === null
    ? 'never done yet'
    : ms < 90_000
      ? `about ${Math.max(1, Math.round(ms / 1000))} s`
      : `about ${Math.round(ms / 60_000)} min`
</script>

<template>
  <i v-if="calendar === null" class="bone tall" role="status" aria-label="Loading" />
  <template v-else>
    <p class="lead">
      What runs by itself in the next two weeks, in the time of this device: retests, backups and clean-ups, pictures,
      warm-up and certificates.
    </p>
    <NoteBox v-for="one in calendar.conflicts" :key="one.sentence" kind="warning" class="conflict">
      <p>
        {{ one.sentence
        }}<template v-if="one.at">
          First: {{ DAY.format(new Date(one.at)) }}, {{ TIME.format(new Date(one.at)) }}.</template
        >
      </p>
    </NoteBox>
    <p v-if="calendar.conflicts.length === 0 && days.length > 0" role="status">Nothing is in the way of anything.</p>
    <p v-if="days.length === 0" role="status">
      Nothing runs by itself yet. Schedules are set with each piece of work: retests under Measure, warm-up under Store,
      backups, clean-ups and pictures here.
    </p>
    <div v-else class="scroll" tabindex="0" role="group" aria-label="Calendar">
      <table class="figures">
        <thead>
          <tr>
            <th scope="col">Day</th>
            <th scope="col">From</th>
            <th scope="col">What</th>
            <th scope="col">How long it takes</th>
          </tr>
        </thead>
        <tbody v-for="[day, entries] in days" :key="day">
          <tr v-for="(one, index) in entries" :key="`${one.work} ${one.at}`">
            <th v-if="index === 0" scope="rowgroup" :rowspan="entries.length">{{ day }}</th>
            <td>{{ TIME.format(new Date(one.at)) }}</td>
            <td>{{ NAMES[one.work] }}</td>
            <td>{{ long(one.msExpected) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </template>
</template>

<style scoped>
.lead {
  max-width: 52rem;
}
.conflict {
  margin: 0.5rem 0;
}
.conflict p {
  margin: 0;
}
.scroll {
  overflow-x: auto;
}
th[scope='rowgroup'] {
  vertical-align: top;
  text-align: left;
}
</style>
