<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Site } from '../../core/contracts/sites.ts'

/** Which pages, visitors and journeys a safety check covers. */
const props = defineProps<{ site: Site }>()
const emit = defineEmits<{
  start: [order: { pageIds: string[]; visitorIds: string[]; journeyIds: string[] }]
}>()
const open = defineModel<boolean>({ required: true })
const pageIds = ref(props.site.sample.map(({ id }) => id))
/** One of each device is enough: only what is seen matters, not how soon. */
const visitorIds = ref(
  props.site.visitors
    .filter(
      (visitor, index, all) =>
        all.findIndex((one) => one.device === visitor.device && one.journeyId === visitor.journeyId) ===
        index,
    )
    .map(({ id }) => id),
)
const journeyIds = ref(props.site.journeys.map(({ id }) => id))
const ready = computed(() => pageIds.value.length > 0 && visitorIds.value.length > 0)
const start = (): void =>
  emit('start', { pageIds: pageIds.value, visitorIds: visitorIds.value, journeyIds: journeyIds.value })
</script>

<template>
  <v-dialog v-model="open" max-width="760" scrollable aria-label="Safety check">
    <form class="panel dialog" @submit.prevent="start">
      <h2>Check: does the trial look and work like live?</h2>
      <p class="muted small">
        Each page is looked at twice live, to learn what varies by itself, and then in trial: errors, words,
        places, styles, pictures, fonts, buttons. About 20 s a page and visitor.
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
          <legend class="second">Journeys that must arrive</legend>
          <p v-if="site.journeys.length === 0" class="muted small">
            None yet. Record one under Measure, Visitors: open the menu, add to basket, sign in.
          </p>
          <v-checkbox
            v-for="journey in site.journeys"
            :key="journey.id"
            v-model="journeyIds"
            :value="journey.id"
            :label="journey.name"
          />
        </fieldset>
      </div>
      <div class="bar end">
        <v-btn type="button" @click="open = false">Not now</v-btn>
        <v-btn type="submit" color="primary" variant="flat" :disabled="!ready">Start</v-btn>
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
  grid-template-columns: repeat(auto-fit, minmax(260px, 1fr));
  gap: 0.6rem 1.4rem;
}
fieldset {
  border: 0;
  min-width: 0;
}
legend {
  font-weight: 650;
}
.second {
  margin-top: 0.8rem;
}
fieldset :deep(.v-selection-control) {
  min-height: 30px;
}
.end {
  justify-content: flex-end;
  margin-top: 0.8rem;
}
</style>
