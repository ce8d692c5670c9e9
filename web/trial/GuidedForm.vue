<script setup lang="ts">
import { computed, ref } from 'vue'
import type { GuidedOrder } from '../../core/contracts/guided.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { REACH } from '../../core/remedies/remedy.ts'

/** What a guided run is to cover: how far it may go, for whom, and how long. */
const props = defineProps<{ site: Site; disabled: boolean }>()
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
/** Common in the lab: some two minutes a remedy for one page and visitor. */
const estimate = computed(() => {
  const remedies = { delivery: 3, files: 8, page: 14 }[reach.value]
  return Math.round(remedies * 2.2 * pageIds.value.length * visitorIds.value.length + 4)
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
      <v-radio-group v-model="reach" hide-details density="compact" label="How far it may go">
        <v-radio v-for="one in REACHES" :key="one.value" :value="one.value">
          <template #label
            ><span
              >{{ one.title }} <span class="muted small">{{ one.what }}</span></span
            ></template
          >
        </v-radio>
      </v-radio-group>
      <fieldset>
        <legend>For these visitors</legend>
        <v-checkbox
          v-for="visitor in site.visitors"
          :key="visitor.id"
          v-model="visitorIds"
          :value="visitor.id"
          :label="visitor.name"
        />
        <v-text-field
          v-model="minutes"
          class="minutes"
          type="number"
          min="2"
          max="1440"
          label="Minutes allowed"
        />
        <p class="muted small">About {{ estimate }} min for all of it. What is not tried in time is named.</p>
      </fieldset>
      <fieldset>
        <legend>On these pages</legend>
        <v-checkbox
          v-for="page in site.sample"
          :key="page.id"
          v-model="pageIds"
          :value="page.id"
          :label="page.path === '/' ? 'Home page' : page.path"
        />
      </fieldset>
    </div>
    <div class="bar">
      <v-btn type="submit" color="primary" variant="flat" :disabled="!ready || disabled"
        >Start the guided run</v-btn
      >
      <span class="muted small"
        >Visitors notice nothing: everything happens on addresses of its own, and you publish, or not.</span
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
fieldset {
  border: 0;
  min-width: 0;
}
legend {
  font-weight: 650;
}
fieldset :deep(.v-selection-control) {
  min-height: 30px;
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
