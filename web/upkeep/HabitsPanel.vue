<script setup lang="ts">
import { computed, shallowRef, watch } from 'vue'
import { z } from 'zod'
import { HabitAnswers, SiteHabits, type HabitAnswer, type HabitQuestion } from '../../core/contracts/site-habits.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { when } from '../format/show.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import ActionButton from '../ui/ActionButton.vue'
import NoteBox from '../ui/NoteBox.vue'
import SelectField from '../ui/SelectField.vue'
import { useUpkeepWork } from './upkeep-work.ts'

/** How the site is run besides: what can be seen from outside, with seconds, and questions about what cannot. */
const props = defineProps<{ site: Site; answers: HabitAnswers }>()
const emit = defineEmits<{ answered: [answers: HabitAnswers] }>()
const jobs = useJobs()
const problems = useProblems()
const habits = shallowRef<SiteHabits | null>(null)
const path = (rest: string): string => `/sites/${props.site.id}/habits${rest}`
const load = async (): Promise<void> => {
  const came = await problems.catching(() => callApi('GET', path(''), z.object({ habits: SiteHabits.nullable() })))
  if (came !== undefined) habits.value = came.habits
}
watch(() => props.site.id, load, { immediate: true })
const { job, order, ordering } = useUpkeepWork(() => props.site.id, load, 'habits')
/** The newest look, whatever became of it. */
const newest = computed(() => jobs.jobs.find(({ siteId, kind }) => siteId === props.site.id && kind === 'habits-look'))

const QUESTIONS: { id: HabitQuestion; question: string; so: Partial<Record<HabitAnswer, string>> }[] = [
  {
    id: 'unused-extensions',
    question: 'Are there plug-ins that nobody needs any more?',
    so: {
      yes: 'Remove them, not only switch them off: each may add queries, scripts and styles to every page. Measure before and after.',
    },
  },
  {
    id: 'unused-themes',
    question: 'Are there themes that are not in use?',
    so: { yes: 'Remove them. They cost visitors nothing, but they have to be kept up to date.' },
  },
  {
    id: 'system-current',
    question: 'Is the content system in its newest version?',
    so: { no: 'Bring it up to date after a backup, and measure again: newer versions commonly need fewer queries.' },
  },
  {
    id: 'language-current',
    question: 'Is the language that it is written in in a version that is still maintained?',
    so: { no: 'Ask your host for a newer one: commonly the cheapest way to make pages faster.' },
  },
  {
    id: 'shared-host',
    question: 'Do other sites share the machine?',
    so: { yes: 'If even files wait at the server (above), their traffic may be why. Measure at another time of day.' },
  },
]
const ANSWERS: { value: HabitAnswer | null; title: string }[] = [
  { value: null, title: 'Not answered' },
  { value: 'yes', title: 'Yes' },
  { value: 'no', title: 'No' },
  { value: 'unknown', title: 'I do not know' },
]
const answer = async (id: HabitQuestion, value: HabitAnswer | null): Promise<void> => {
  const { [id]: _before, ...others } = props.answers
  const next = value === null ? others : { ...others, [id]: value }
  const saved = await problems.catching(() => callApi('PUT', path('/answers'), HabitAnswers, next))
  if (saved !== undefined) emit('answered', saved)
}
const soFor = (id: HabitQuestion): string => {
  const given = props.answers[id]
  return given === undefined ? '' : (QUESTIONS.find((one) => one.id === id)?.so[given] ?? '')
}
</script>

<template>
  <p class="lead">
    Some of what makes a site slow is how it is run. What can be seen from outside is measured here; what cannot is
    asked, and nothing is guessed.
  </p>
  <div class="bar">
    <ActionButton
      color="primary"
      variant="flat"
      :under-way="job !== undefined || ordering === 'look'"
      @click="order('look', 'looks')"
    >
      {{ habits === null ? 'Look from outside' : 'Look again' }}
    </ActionButton>
    <span v-if="habits" class="muted small">{{ when(habits.at) }}</span>
  </div>
  <NoteBox v-if="newest?.state === 'failed'" kind="error" :text="newest.error ?? ''" />
  <div v-if="habits" class="scroll" tabindex="0" role="group" aria-label="Seen from outside">
    <table class="figures">
      <thead>
        <tr>
          <th scope="col">What we found</th>
          <th scope="col" class="num">Seconds</th>
          <th scope="col">Evidence</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in habits.seen" :key="one.topic">
          <td class="words">{{ one.sentence }}</td>
          <td class="num">{{ one.seconds === null ? '' : `${one.seconds.toFixed(2)} s` }}</td>
          <td class="muted small words">
            <span v-for="line in one.evidence" :key="line" class="line">{{ line }}</span>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <h2>Not visible from outside</h2>
  <div v-for="one in QUESTIONS" :key="one.id" class="question">
    <p>{{ one.question }}</p>
    <SelectField
      :model-value="answers[one.id] ?? null"
      :items="ANSWERS"
      :label="one.question"
      hide-label
      @update:model-value="answer(one.id, $event)"
    />
    <p v-if="soFor(one.id)" role="status" class="so">{{ soFor(one.id) }}</p>
  </div>
</template>

<style scoped>
.lead {
  max-width: 52rem;
}
.bar {
  margin: 0.6rem 0;
}
.scroll {
  overflow-x: auto;
}
.words {
  min-width: 16rem;
  overflow-wrap: anywhere;
}
.line {
  display: block;
}
.question {
  display: grid;
  grid-template-columns: minmax(0, 24rem) minmax(0, 12rem);
  gap: 0.2rem 1rem;
  align-items: center;
  margin: 0.5rem 0;
}
.question p {
  margin: 0;
}
.so {
  grid-column: 1 / -1;
  max-width: 52rem;
}
@media (max-width: 600px) {
  .question {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
