<script setup lang="ts">
import { computed, ref } from 'vue'
import type { GuidedOrder } from '../../core/contracts/guided.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { withinReach } from '../../core/experiments/guided-run.ts'
import { REACH } from '../../core/catalogue/remedy.ts'
import CheckList from '../ui/CheckList.vue'
import { namedItems, pageItems } from '../format/show.ts'

/** What a guided run is to cover: how far it may go, for whom, and how long. */
const props = defineProps<{ site: Site; trial: Setup; disabled: boolean }>()
const emit = defineEmits<{ start: [order: GuidedOrder] }>()
const REACHES = [
  { value: 'delivery', title: 'Delivery', what: REACH.delivery },
  { value: 'files', title: 'Delivery and files', what: REACH.files },
  { value: 'page', title: 'Delivery, files and page', what: REACH.page },
] as const
const reach = ref<GuidedOrder['reach']>('files')
const pageIds = ref(props.site.sample.slice(0, 1).map(({ id }) => id))
const visitorIds = ref(props.site.visitors.slice(0, 1).map(({ id }) => id))
const journeyIds = ref(props.site.journeys.map(({ id }) => id))
const minutes = ref(60)
const ready = computed(() => pageIds.value.length > 0 && visitorIds.value.length > 0 && minutes.value >= 2)
/** One remedy on one page as one visitor takes about so long: a look, and six to eight pairs of loads. On the demo it was 0.7 to 3.8 min. */
const MINUTES_EACH = 2.2
const estimate = computed(() => {
  const remedies = withinReach(props.trial, reach.value).length
  // The whole at the end takes as long as a step and a half.
  return Math.max(1, Math.round((remedies + 1.5) * MINUTES_EACH * pageIds.value.length * visitorIds.value.length))
})
const start = (): void =>
  emit('start', {
    reach: reach.value,
    pageIds: pageIds.value,
    visitorIds: visitorIds.value,
    journeyIds: journeyIds.value,
    minutes: Number(minutes.value),
  })
</script>

<template>
  <form class="panel" @submit.prevent="start">
    <div class="columns">
      <v-radio-group v-model="reach" hide-details density="compact" label="What may be changed">
        <v-radio v-for="one in REACHES" :key="one.value" :value="one.value">
          <template #label
            ><span
              >{{ one.title }} <span class="muted small">{{ one.what }}</span></span
            ></template
          >
        </v-radio>
      </v-radio-group>
      <CheckList v-model="visitorIds" legend="For these visitors" :items="namedItems(site.visitors)">
        <v-text-field v-model="minutes" class="minutes" type="number" min="2" max="1440" label="Minutes allowed" />
        <p class="muted small">About {{ estimate }} min for everything. What is not tried in time is listed.</p>
      </CheckList>
      <CheckList v-model="pageIds" legend="On these pages" :items="pageItems(site.sample)" />
    </div>
    <div class="bar">
      <v-btn type="submit" color="primary" variant="flat" :disabled="!ready || disabled">Start the guided run</v-btn>
      <span class="muted small"
        >Visitors notice nothing: the run uses separate addresses, and you decide whether to publish the result.</span
      >
    </div>
  </form>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: minmax(280px, 1.3fr) minmax(220px, 1fr) minmax(180px, 1fr);
  gap: 0.6rem 1.6rem;
}
.columns :deep(.v-radio-group > .v-input__control > .v-label) {
  margin-inline-start: 0;
  font-weight: 650;
  color: inherit;
}
.columns :deep(.v-selection-control-group) {
  padding-inline-start: 0;
}
.minutes {
  max-width: 180px;
  margin-top: 0.6rem;
}
.bar {
  margin-top: 0.6rem;
}
@media (max-width: 900px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
