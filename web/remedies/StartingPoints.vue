<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Setup } from '../../core/contracts/setup.ts'
import { setupChanges } from '../../core/catalogue/setup-difference.ts'
import { lookAfter, startedFrom, STARTING_POINTS, type StartingPoint } from '../../core/catalogue/starting-points.ts'
import ModalDialog from '../ui/ModalDialog.vue'

/** For those who do not want to choose: a good set of remedies at once, into the trial. */
const props = defineProps<{ trial: Setup }>()
const emit = defineEmits<{ change: [setup: Setup] }>()
const open = defineModel<boolean>({ required: true })

const isOn = ({ remedies }: StartingPoint): boolean => remedies.every((id) => props.trial.remedies[id].enabled)
const chosenId = ref(STARTING_POINTS.find((point) => !isOn(point))?.id ?? STARTING_POINTS[0]!.id)
const chosen = computed(() => STARTING_POINTS.find(({ id }) => id === chosenId.value)!)
const changes = computed(() => setupChanges(props.trial, startedFrom(props.trial, chosen.value)))
const take = (): void => {
  emit('change', startedFrom(props.trial, chosen.value))
  open.value = false
}
</script>

<template>
  <ModalDialog v-model="open" :width="720" label="Switch on several remedies">
    <form class="panel dialog" @submit.prevent="take">
      <h2>Switch on several remedies in the trial</h2>
      <v-radio-group v-model="chosenId" hide-details density="compact" label="How far to go">
        <v-radio v-for="point in STARTING_POINTS" :key="point.id" :value="point.id">
          <template #label>
            <span
              ><b>{{ point.title }}</b
              ><template v-if="isOn(point)"> (all on in trial)</template>
              <span class="small muted point">{{ point.sentence }}</span></span
            >
          </template>
        </v-radio>
      </v-radio-group>
      <h3>What changes</h3>
      <p v-if="changes.length === 0">Nothing: all of it is on in the trial.</p>
      <ul v-else>
        <li v-for="change in changes" :key="change.sentence">{{ change.sentence }}</li>
      </ul>
      <h3>What to check afterwards</h3>
      <dl>
        <template v-for="one in lookAfter(chosen)" :key="one.name">
          <dt>{{ one.name }}</dt>
          <dd>{{ one.lookAt }}</dd>
        </template>
      </dl>
      <div class="bar end">
        <v-btn type="button" @click="open = false">Cancel</v-btn>
        <v-btn type="submit" color="primary" variant="flat" :disabled="changes.length === 0">Try in the trial</v-btn>
      </div>
    </form>
  </ModalDialog>
</template>

<style scoped>
.point {
  display: block;
}
ul {
  padding-left: 1.1rem;
  columns: 2;
}
dl {
  display: grid;
  grid-template-columns: 12rem minmax(0, 1fr);
  gap: 0.2rem 0.8rem;
  font-size: 0.9rem;
}
dt {
  font-weight: 600;
}
@media (max-width: 760px) {
  dl {
    grid-template-columns: minmax(0, 1fr);
  }
  ul {
    columns: 1;
  }
}
</style>
