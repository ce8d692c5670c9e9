<script setup lang="ts">
import { computed } from 'vue'
import type { Journey, VisitorProfile } from '../../core/contracts/measuring.ts'
import { DEFAULT_VISITORS } from '../../core/sampling/default-visitors.ts'
import { LINK_PRESETS, presetOf } from '../../core/sampling/link-presets.ts'
import PlaceFields from './PlaceFields.vue'
import SelectField from '../ui/SelectField.vue'

/** One visitor: device, link, place, signed in or out. */
defineProps<{ journeys: readonly Journey[]; first: boolean }>()
defineEmits<{ remove: []; choose: [] }>()
const visitor = defineModel<VisitorProfile>({ required: true })
const set = (part: Partial<VisitorProfile>): void => {
  visitor.value = { ...visitor.value, ...part }
}
const setDevice = (device: VisitorProfile['device']): void => {
  const { width, height, pixelRatio, cpuSlowdown } = DEFAULT_VISITORS.find((one) => one.device === device)!
  set({ device, width, height, pixelRatio, cpuSlowdown })
}
const preset = computed(() => presetOf(visitor.value)?.id ?? 'own')
const setPreset = (id: string): void => {
  const found = LINK_PRESETS.find((one) => one.id === id)
  if (found === undefined) return
  const { roundTripMs, downKbps, upKbps, lossPercent } = found
  set({ roundTripMs, downKbps, upKbps, lossPercent })
}
const NUMBERS = [
  { key: 'width', label: 'Width, px', step: 1 },
  { key: 'height', label: 'Height, px', step: 1 },
  { key: 'pixelRatio', label: 'Pixel ratio', step: 'any' },
  { key: 'cpuSlowdown', label: 'Processor: times slower than this machine', step: 'any' },
  { key: 'roundTripMs', label: 'Round trip of the link, ms', step: 'any' },
  { key: 'downKbps', label: 'Down, kbit/s', step: 'any' },
  { key: 'upKbps', label: 'Up, kbit/s', step: 'any' },
  { key: 'lossPercent', label: 'Loss, %', step: 'any' },
] as const
</script>

<template>
  <fieldset class="panel">
    <legend class="visually-hidden">{{ visitor.name }}</legend>
    <div class="row">
      <v-text-field :model-value="visitor.name" label="Name" @update:model-value="(name: string) => set({ name })" />
      <SelectField
        :model-value="visitor.device"
        label="Device"
        :items="[
          { value: 'phone', title: 'Phone' },
          { value: 'laptop', title: 'Laptop' },
        ]"
        @update:model-value="(device: unknown) => setDevice(device as 'phone')"
      />
      <SelectField
        :model-value="preset"
        label="Link"
        :items="[
          ...LINK_PRESETS.map(({ id, name }) => ({ value: id, title: name })),
          ...(preset === 'own' ? [{ value: 'own', title: 'own figures' }] : []),
        ]"
        @update:model-value="(id: unknown) => setPreset(id as string)"
      />
      <SelectField
        :model-value="visitor.journeyId"
        label="Signed in by"
        :items="[{ value: null, title: 'signed out' }, ...journeys.map(({ id, name }) => ({ value: id, title: name }))]"
        @update:model-value="(journeyId: unknown) => set({ journeyId: journeyId as string | null })"
      />
      <v-btn size="small" :disabled="first" :aria-label="`Remove ${visitor.name}`" @click="$emit('remove')"
        >Remove</v-btn
      >
    </div>
    <div class="row">
      <PlaceFields
        class="place"
        :model-value="visitor.place"
        label="Place"
        @update:model-value="(place) => set({ place })"
      />
      <v-btn size="small" @click="$emit('choose')">Choose on the map</v-btn>
    </div>
    <details>
      <summary class="small">All figures</summary>
      <div class="row figures">
        <v-text-field
          v-for="{ key, label, step } in NUMBERS"
          :key="key"
          :model-value="visitor[key]"
          type="number"
          min="0"
          :step="step"
          :label="label"
          @update:model-value="(value: unknown) => set({ [key]: Number(value) })"
        />
      </div>
    </details>
  </fieldset>
</template>

<style scoped>
fieldset {
  display: grid;
  gap: 0.6rem;
  min-width: 0;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 0.6rem;
  align-items: center;
}
.row > .v-input {
  flex: 1 1 150px;
}
.place {
  flex: 1 1 380px;
}
.figures {
  padding-top: 0.6rem;
}
</style>
