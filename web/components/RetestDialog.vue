<script lang="ts">
import type { Visit } from '../../core/contracts/measuring.ts'

export interface RetestChoice {
  readonly pageIds: string[]
  readonly visitorIds: string[]
  readonly visit: Visit
  readonly runs: number
}
</script>
<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Site } from '../../core/contracts/sites.ts'
import { planRuns } from '../../core/measuring/plan.ts'

/** What a retest of trial against live is to cover. */
const props = defineProps<{ site: Site; defaultRuns: number }>()
const emit = defineEmits<{ start: [choice: RetestChoice] }>()
const open = defineModel<boolean>({ required: true })

const MOST_FIRST = 3
const pageIds = ref(props.site.sample.slice(0, MOST_FIRST).map(({ id }) => id))
const visitorIds = ref(props.site.visitors.map(({ id }) => id))
const visit = ref<Visit>('first')
const runs = ref(props.defaultRuns)
const complete = computed(() => pageIds.value.length > 0 && visitorIds.value.length > 0 && runs.value > 0)
const loads = computed(
  () =>
    planRuns({
      sides: ['live', 'trial'],
      pageIds: pageIds.value,
      visitorIds: visitorIds.value,
      runs: Number(runs.value),
    }).length,
)
const start = (): void =>
  emit('start', {
    pageIds: pageIds.value,
    visitorIds: visitorIds.value,
    visit: visit.value,
    runs: Number(runs.value),
  })
</script>

<template>
  <v-dialog v-model="open" max-width="640" scrollable aria-label="Retest">
    <form class="panel dialog" @submit.prevent="start">
      <h2>Retest: live and trial side by side</h2>
      <p class="muted small">
        Both are loaded in turn, run by run, so that a slow minute falls on both. Six pairs are the least for
        a 95 % interval; more make it narrower.
      </p>
      <div class="columns">
        <fieldset>
          <legend>Pages</legend>
          <v-checkbox
            v-for="page in site.sample"
            :key="page.id"
            v-model="pageIds"
            :value="page.id"
            :label="page.path === '/' ? 'Home page' : page.path"
          />
        </fieldset>
        <fieldset>
          <legend>As</legend>
          <v-checkbox
            v-for="visitor in site.visitors"
            :key="visitor.id"
            v-model="visitorIds"
            :value="visitor.id"
            :label="visitor.name"
          />
          <v-radio-group v-model="visit" hide-details density="compact" label="Visit">
            <v-radio value="first" label="First, empty browser" />
            <v-radio value="return" label="Return: shows what the browser cache is worth" />
          </v-radio-group>
          <v-text-field v-model.number="runs" type="number" min="1" max="50" label="Pairs" class="pairs" />
        </fieldset>
      </div>
      <div class="bar end">
        <span class="muted small">{{ loads }} page loads</span>
        <v-btn type="button" @click="open = false">Not now</v-btn>
        <v-btn type="submit" color="primary" variant="flat" :disabled="!complete">Start</v-btn>
      </div>
    </form>
  </v-dialog>
</template>

<style scoped>
.dialog {
  overflow: auto;
}
h2 {
  margin-top: 0;
}
.columns {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(240px, 1fr));
  gap: 0.6rem 1.4rem;
}
fieldset {
  border: 0;
  min-width: 0;
}
legend {
  font-weight: 650;
}
fieldset :deep(.v-selection-control) {
  min-height: 28px;
}
.pairs {
  margin-top: 0.8rem;
}
.end {
  justify-content: flex-end;
  margin-top: 0.8rem;
}
</style>
