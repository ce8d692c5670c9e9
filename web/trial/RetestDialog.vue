<script setup lang="ts">
import { computed, ref } from 'vue'
import { DEFAULT_PAIRS } from '../../core/contracts/measurements.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { planRuns } from '../../core/measuring/plan.ts'
import { firstChoice, isComplete, type MeasuredChoice } from '../../core/measuring/first-choice.ts'
import MeasurementChoice from '../measure/MeasurementChoice.vue'
import ModalDialog from '../ui/ModalDialog.vue'

/** What a retest of trial against live is to cover. */
const props = defineProps<{ site: Site }>()
const emit = defineEmits<{ start: [choice: MeasuredChoice] }>()
const open = defineModel<boolean>({ required: true })

const choice = ref(firstChoice(props.site, DEFAULT_PAIRS))
const loads = computed(() => planRuns({ sides: ['live', 'trial'], ...choice.value }).length)
</script>

<template>
  <ModalDialog v-model="open" :width="760" label="Retest">
    <form class="panel dialog" @submit.prevent="emit('start', choice)">
      <h2>Retest: live and trial side by side</h2>
      <p class="muted small">
        Live and trial are loaded in turn, so a slow moment affects both. The retest stops after six pairs if the result
        is clear, and otherwise uses all pairs allowed.
      </p>
      <div class="columns">
        <MeasurementChoice
          v-model="choice"
          :site="site"
          runs-label="Pairs at most"
          runs-hint="Each pair is one load of live and one of the trial."
        />
      </div>
      <div class="bar end">
        <span class="muted small">at most {{ loads }} page loads</span>
        <v-btn type="button" @click="open = false">Cancel</v-btn>
        <v-btn type="submit" color="primary" variant="flat" :disabled="!isComplete(choice)">Start</v-btn>
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
