<script setup lang="ts">
import ActionButton from '../ui/ActionButton.vue'
import { computed, ref, watch } from 'vue'
import type { Journey, JourneyStep } from '../../core/contracts/measuring.ts'
import { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useSaving } from '../stores/saving.ts'
import JourneyRecorder from './JourneyRecorder.vue'
import SelectField from '../ui/SelectField.vue'

/** Steps that visitors take: recorded by doing them, or written. */
const props = defineProps<{ site: Site }>()
const journeys = ref<Journey[]>([])
const reset = (): void => void (journeys.value = JSON.parse(JSON.stringify(props.site.journeys)) as Journey[])
watch(() => props.site.journeys, reset, { immediate: true })

const KINDS: { value: JourneyStep['do']; title: string }[] = [
  { value: 'open', title: 'open the page' },
  { value: 'click', title: 'click on' },
  { value: 'type', title: 'type into' },
  { value: 'see', title: 'wait until there is' },
]
const emptyStep = (kind: JourneyStep['do']): JourneyStep =>
  kind === 'open'
    ? { do: 'open', path: '/' }
    : kind === 'type'
      ? { do: 'type', target: '', text: '' }
      : { do: kind, target: '' }
const add = (steps: JourneyStep[]): void =>
  void journeys.value.push({
    id: `journey-${Date.now().toString(36)}`,
    name: `Journey ${journeys.value.length + 1}`,
    steps,
  })
const changed = computed(() => JSON.stringify(journeys.value) !== JSON.stringify(props.site.journeys))
const { saving, save } = useSaving(async () => {
  await callApi('PUT', `/sites/${props.site.id}/journeys`, Site, journeys.value)
})
</script>

<template>
  <form @submit.prevent="save">
    <p class="small muted">
      A signed-in visitor follows a journey before each load. Typed text is saved as it is: use an account that
      everybody who works here may know.
    </p>
    <fieldset v-for="(journey, at) in journeys" :key="journey.id" class="panel">
      <legend class="visually-hidden">{{ journey.name }}</legend>
      <div class="bar">
        <v-text-field v-model="journey.name" class="name" label="Name of the journey" />
        <v-btn size="small" :aria-label="`Remove ${journey.name}`" @click="journeys.splice(at, 1)">Remove</v-btn>
      </div>
      <ol>
        <li v-for="(step, index) in journey.steps" :key="index">
          <SelectField
            :model-value="step.do"
            class="kind"
            label="Step"
            :items="KINDS"
            @update:model-value="(kind: unknown) => (journey.steps[index] = emptyStep(kind as 'open'))"
          />
          <v-text-field v-if="step.do === 'open'" v-model="step.path" label="Path" />
          <v-text-field v-else v-model="step.target" label="CSS selector" />
          <v-text-field v-if="step.do === 'type'" v-model="step.text" label="Text" />
          <v-btn size="x-small" :aria-label="`Remove step ${index + 1}`" @click="journey.steps.splice(index, 1)"
            >×</v-btn
          >
        </li>
      </ol>
      <v-btn size="small" @click="journey.steps.push(emptyStep('click'))">Add a step</v-btn>
    </fieldset>
    <div class="bar end">
      <JourneyRecorder :site="site" @recorded="add" />
      <v-btn size="small" @click="add([emptyStep('open')])">Write one</v-btn>
      <span class="space" />
      <v-btn type="button" :disabled="!changed" @click="reset">Undo changes</v-btn>
      <ActionButton type="submit" color="primary" variant="flat" :disabled="!changed" :under-way="saving"
        >Save journeys</ActionButton
      >
    </div>
  </form>
</template>

<style scoped>
fieldset {
  margin-bottom: 0.8rem;
  min-width: 0;
}
.name {
  flex: 0 1 320px;
}
ol {
  list-style: none;
  padding: 0;
  display: grid;
  gap: 0.5rem;
  margin: 0.7rem 0;
}
li {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem;
  align-items: center;
}
li > .v-input {
  flex: 1 1 160px;
}
li > .kind {
  flex: 0 1 190px;
}
.space {
  flex: 1;
}
</style>
