<script setup lang="ts">
import ActionButton from '../ui/ActionButton.vue'
import { onBeforeUnmount, ref, shallowRef } from 'vue'
import type { JourneyStep } from '../../core/contracts/measuring.ts'
import { RecordingState, type RecordedAct } from '../../core/contracts/recording.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useProblems } from '../stores/problems.ts'
import ModalDialog from '../ui/ModalDialog.vue'

/** Record a journey by doing it: the page runs in a browser of the lab, and shows here. */
const props = defineProps<{ site: Site }>()
const emit = defineEmits<{ recorded: [steps: JourneyStep[]] }>()
const problems = useProblems()
const open = ref(false)
const path = ref('/')
const text = ref('')
const busy = ref(false)
const waiting = ref(false)
const state = shallowRef<RecordingState | null>(null)
const address = (): string => `/sites/${props.site.id}/recording`

const ask = async (call: () => Promise<RecordingState>): Promise<void> => {
  busy.value = true
  const found = await problems.catching(call)
  busy.value = false
  if (found !== undefined) state.value = found
}
const start = (): Promise<void> => ask(() => callApi('POST', address(), RecordingState, { path: path.value }))
const act = (what: RecordedAct): Promise<void> => ask(() => callApi('POST', `${address()}/acts`, RecordingState, what))
const click = (event: MouseEvent): void => {
  const picture = event.currentTarget as HTMLImageElement
  const box = picture.getBoundingClientRect()
  const at = {
    x: ((event.clientX - box.left) / box.width) * state.value!.width,
    y: ((event.clientY - box.top) / box.height) * state.value!.height,
  }
  void act({ do: waiting.value ? 'see' : 'click', ...at })
  waiting.value = false
}
const type = async (): Promise<void> => {
  await act({ do: 'type', text: text.value })
  text.value = ''
}
const end = async (): Promise<void> => {
  open.value = false
  if (state.value === null) return
  state.value = null
  await problems.catching(() => callApi('DELETE', address()))
}
const keep = async (): Promise<void> => {
  emit('recorded', state.value!.steps)
  await end()
}
onBeforeUnmount(() => void end())
const inWords = (step: JourneyStep): string => {
  if (step.do === 'open') return `open ${step.path}`
  if (step.do === 'type') return `type “${step.text}” into ${step.target}`
  return `${step.do === 'click' ? 'click on' : 'wait for'} ${step.target}`
}
</script>

<template>
  <v-btn size="small" @click="open = true">Record one …</v-btn>
  <ModalDialog :model-value="open" :width="1180" label="Record a journey" @update:model-value="end">
    <div class="panel dialog recorder">
      <h2>Record a journey</h2>
      <form v-if="!state" class="bar" @submit.prevent="start">
        <v-text-field v-model="path" class="path" label="Start at" />
        <ActionButton type="submit" color="primary" variant="flat" :under-way="busy">Open it</ActionButton>
        <span class="muted small">The page opens in a browser on this machine, with an empty profile.</span>
      </form>
      <template v-else>
        <p class="small muted">
          Click in the picture as a visitor would. <code>{{ state.url }}</code>
        </p>
        <div class="stage">
          <div>
            <img
              :src="`data:image/jpeg;base64,${state.jpeg}`"
              :class="{ busy }"
              :width="state.width"
              :height="state.height"
              alt="The page as it is now; clicks are passed on to it"
              @click="click"
            />
            <form class="bar" @submit.prevent="type">
              <v-text-field v-model="text" class="path" label="Text for the clicked field" />
              <v-btn type="submit" size="small" :disabled="busy">Type</v-btn>
              <v-btn size="small" :disabled="busy" @click="act({ do: 'submit' })">Send the form</v-btn>
              <v-btn size="small" :disabled="busy" @click="act({ do: 'scroll', by: 400 })">Scroll down</v-btn>
              <v-btn size="small" :disabled="busy" @click="act({ do: 'scroll', by: -400 })">Scroll up</v-btn>
              <v-btn
                size="small"
                :aria-pressed="waiting"
                :variant="waiting ? 'flat' : 'outlined'"
                @click="waiting = !waiting"
                >Wait for what I click</v-btn
              >
            </form>
            <p v-if="state.note" class="small" role="status">{{ state.note }}</p>
          </div>
          <ol class="small">
            <li v-for="(step, index) in state.steps" :key="index">{{ inWords(step) }}</li>
          </ol>
        </div>
      </template>
      <div class="bar end">
        <v-btn type="button" @click="end">Cancel</v-btn>
        <v-btn color="primary" variant="flat" :disabled="!state || busy" @click="keep">Use these steps</v-btn>
      </div>
    </div>
  </ModalDialog>
</template>

<style scoped>
.recorder {
  overflow: auto;
}
.path {
  flex: 1 1 220px;
}
.stage {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 220px;
  gap: 1rem;
}
img {
  width: 100%;
  height: auto;
  border: 1px solid rgb(var(--v-theme-line));
  cursor: pointer;
  margin-bottom: 0.6rem;
}
img.busy {
  opacity: 0.55;
}
ol {
  padding-left: 1.2rem;
  overflow-wrap: anywhere;
}
@media (max-width: 900px) {
  .stage {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
