<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Setup } from '../../core/contracts/setup.ts'
import { setupChanges } from '../../core/catalogue/setup-difference.ts'
import { lookAfter, startedFrom, STARTING_POINTS, type StartingPoint } from '../../core/catalogue/starting-points.ts'
import ModalDialog from '../ui/ModalDialog.vue'

/** For those who do not want to choose: a good set of remedies at once, into the trial. */
const props = defineProps<{ trial: Setup; disabled: boolean }>()
const emit = defineEmits<{ change: [setup: Setup] }>()

const chosen = ref<StartingPoint | null>(null)
const changes = computed(() =>
  chosen.value === null ? [] : setupChanges(props.trial, startedFrom(props.trial, chosen.value)),
)
const take = (): void => {
  if (chosen.value !== null) emit('change', startedFrom(props.trial, chosen.value))
  chosen.value = null
}
const isOn = ({ remedies }: StartingPoint): boolean => remedies.every((id) => props.trial.remedies[id].enabled)
</script>

<template>
  <section aria-labelledby="starting">
    <h2 id="starting">Starting points</h2>
    <p class="muted small">
      If you do not want to choose, switch on a whole group in the trial at once. No visitor sees it.
    </p>
    <ol class="points">
      <li v-for="point in STARTING_POINTS" :key="point.id" class="panel">
        <h3>{{ point.title }}</h3>
        <p class="small">{{ point.sentence }}</p>
        <v-btn size="small" :disabled="disabled || isOn(point)" @click="chosen = point">
          {{ isOn(point) ? 'All on in trial' : `Try all ${point.remedies.length} …` }}
        </v-btn>
      </li>
    </ol>
    <ModalDialog :model-value="chosen !== null" :width="720" label="Starting point" @update:model-value="chosen = null">
      <form v-if="chosen" class="panel dialog" @submit.prevent="take">
        <h2>Try {{ chosen.title.toLowerCase() }}</h2>
        <p>{{ chosen.sentence }}</p>
        <h3>What changes</h3>
        <ul>
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
          <v-btn type="button" @click="chosen = null">Cancel</v-btn>
          <v-btn type="submit" color="primary" variant="flat">Try in the trial</v-btn>
        </div>
      </form>
    </ModalDialog>
  </section>
</template>

<style scoped>
.points {
  list-style: none;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  gap: 0.7rem;
}
.points h3 {
  margin: 0;
}
.points p {
  margin: 0.2rem 0 0.6rem;
}
.dialog ul {
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
  .points,
  dl {
    grid-template-columns: minmax(0, 1fr);
  }
  .dialog ul {
    columns: 1;
  }
}
</style>
