<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Site } from '../../core/contracts/sites.ts'
import CheckList from '../ui/CheckList.vue'
import { namedItems, pageItems } from '../format/show.ts'
import ModalDialog from '../ui/ModalDialog.vue'

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
        all.findIndex((one) => one.device === visitor.device && one.journeyId === visitor.journeyId) === index,
    )
    .map(({ id }) => id),
)
const journeyIds = ref(props.site.journeys.map(({ id }) => id))
const ready = computed(() => pageIds.value.length > 0 && visitorIds.value.length > 0)
const start = (): void =>
  emit('start', { pageIds: pageIds.value, visitorIds: visitorIds.value, journeyIds: journeyIds.value })
</script>

<template>
  <ModalDialog v-model="open" :width="760" label="Safety check">
    <form class="panel dialog" @submit.prevent="start">
      <h2>Safety check: does the trial look and work like live?</h2>
      <p class="muted small">
        Each page is loaded twice live, to learn what changes by itself, and then in the trial. Compared are errors,
        text, positions, styles, pictures, fonts and buttons. This takes about 20 s per page and visitor.
      </p>
      <div class="columns">
        <CheckList v-model="pageIds" legend="Pages" :items="pageItems(site.sample)" />
        <div>
          <CheckList v-model="visitorIds" legend="As" :items="namedItems(site.visitors)" />
          <CheckList v-model="journeyIds" legend="Journeys that must arrive" :items="namedItems(site.journeys)">
            <p v-if="site.journeys.length === 0" class="muted small">
              None yet. Record one under Measure, Visitors: for example open the menu, add to the basket, sign in.
            </p>
          </CheckList>
        </div>
      </div>
      <div class="bar end">
        <v-btn type="button" @click="open = false">Cancel</v-btn>
        <v-btn type="submit" color="primary" variant="flat" :disabled="!ready">Start</v-btn>
      </div>
    </form>
  </ModalDialog>
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
.end {
  justify-content: flex-end;
  margin-top: 0.8rem;
}
</style>
