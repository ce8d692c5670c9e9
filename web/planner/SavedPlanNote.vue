<script setup lang="ts">
import { computed } from 'vue'
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import type { SavedPlan } from '../../core/contracts/planner.ts'
import { howMany, when } from '../format/show.ts'
import NoteBox from '../ui/NoteBox.vue'

/** The newest plan: whether visitors get it, and predicted beside counted. */
const props = defineProps<{ plan: SavedPlan; siteId: string }>()
const perMille = (value: number): string => value.toFixed(value < 10 ? 1 : 0)
const sentence = computed(() => {
  const { at, liveAt, predicted, counted } = props.plan
  if (liveAt === null)
    return `The plan of ${when(at)} is in the trial. Keep the trial, and its lifetimes go live and its warm-up begins.`
  const begun = `The plan of ${when(at)} has been live since ${when(liveAt)}. Predicted: ${perMille(predicted.coldPerMille)} cold visits per 1,000.`
  return counted === null
    ? `${begun} Nothing has been counted since.`
    : `${begun} Counted: ${perMille(counted.coldPerMille)}, from ${howMany(counted.visits, 'visit')} in ${roughlyInWords(Math.round(counted.days * 86_400))}.`
})
</script>

<template>
  <NoteBox kind="info">
    <p role="status">
      {{ sentence }}
      <RouterLink v-if="plan.liveAt === null" :to="{ name: 'remedies', params: { siteId } }"
        >Look at the trial</RouterLink
      >
    </p>
  </NoteBox>
</template>
