<script setup lang="ts">
import { computed, ref } from 'vue'
import { PicturePlan } from '../../core/contracts/picture-library.ts'
import NoteBox from '../ui/NoteBox.vue'
import SelectField from '../ui/SelectField.vue'

/** How light pictures may get, what of them stays, and when the work is done. */
const props = defineProps<{ plan: PicturePlan }>()
const emit = defineEmits<{ saved: [plan: PicturePlan] }>()
const { plan } = props
const BOUNDS = [
  { value: 'as-jpeg', title: 'As similar as a JPEG of this quality' },
  { value: 'ssim', title: 'At least this structural similarity (SSIM)' },
] as const
const bound = ref(plan.bound.kind)
const quality = ref(String(plan.bound.kind === 'as-jpeg' ? plan.bound.quality : 90))
const atLeast = ref(String(plan.bound.kind === 'ssim' ? plan.bound.atLeast : 0.98))
const LOSSLESS = [
  { value: 'graphics', title: 'Drawings keep every pixel' },
  { value: 'everything', title: 'Photos keep every pixel too' },
] as const
const lossless = ref(plan.lossless)
const avif = ref(plan.forms.includes('avif'))
const webp = ref(plan.forms.includes('webp'))
const widest = ref(String(plan.widest))
const density = ref(String(plan.density))
const METADATA = [
  { value: 'copyright', title: 'Only author and copyright stay' },
  { value: 'everything', title: 'All of it stays' },
] as const
const metadata = ref(plan.metadata)
const processor = ref(String(plan.processor))
const zone = plan.quiet?.zone ?? Intl.DateTimeFormat().resolvedOptions().timeZone
const hasQuiet = ref(plan.quiet !== null)
const from = ref(plan.quiet?.from ?? '02:00')
const to = ref(plan.quiet?.to ?? '05:00')
const EVERY = [
  { value: 'never', title: 'Only when I ask' },
  { value: 'hours', title: 'Every few hours' },
  { value: 'days', title: 'Every few days' },
  { value: 'weeks', title: 'Every few weeks' },
] as const
const every = ref<(typeof EVERY)[number]['value']>(plan.every?.unit ?? 'never')
const count = ref(String(plan.every?.count ?? 1))

const wanted = computed(() =>
  PicturePlan.safeParse({
    ...props.plan,
    bound:
      bound.value === 'as-jpeg'
        ? { kind: 'as-jpeg', quality: Number(quality.value) }
        : { kind: 'ssim', atLeast: Number(atLeast.value) },
    lossless: lossless.value,
    forms: [...(avif.value ? ['avif'] : []), ...(webp.value ? ['webp'] : [])],
    widest: Number(widest.value),
    density: Number(density.value),
    metadata: metadata.value,
    processor: Number(processor.value),
    quiet: hasQuiet.value ? { from: from.value, to: to.value, zone } : null,
    every: every.value === 'never' ? null : { count: Number(count.value), unit: every.value },
  }),
)
const problem = computed(() => {
  const issue = wanted.value.error?.issues[0]
  return issue === undefined ? null : `${String(issue.path.join(', '))}: ${issue.message}`
})
const save = (): void => {
  if (wanted.value.data !== undefined) emit('saved', wanted.value.data)
}
</script>

<template>
  <form class="plan" @submit.prevent="save">
    <div class="pair">
      <SelectField v-model="bound" :items="BOUNDS" label="How similar" />
      <v-text-field
        v-if="bound === 'as-jpeg'"
        v-model="quality"
        type="number"
        min="50"
        max="100"
        label="JPEG quality"
        hide-details
      />
      <v-text-field
        v-else
        v-model="atLeast"
        type="number"
        min="0.8"
        max="1"
        step="0.001"
        label="SSIM, 1 is the same"
        hide-details
      />
    </div>
    <SelectField v-model="lossless" :items="LOSSLESS" label="Without loss" />
    <div class="bar">
      <v-checkbox v-model="avif" label="AVIF" hide-details density="compact" />
      <v-checkbox v-model="webp" label="WebP" hide-details density="compact" />
      <span class="muted small">The picture’s own form is always tried.</span>
    </div>
    <div class="pair">
      <v-text-field v-model="widest" type="number" min="200" max="8000" label="Widest, CSS px" hide-details />
      <v-text-field
        v-model="density"
        type="number"
        min="1"
        max="3"
        step="0.1"
        label="Times that on dense screens"
        hide-details
      />
    </div>
    <SelectField v-model="metadata" :items="METADATA" label="Metadata" />
    <div class="pair">
      <v-text-field
        v-model="processor"
        type="number"
        min="5"
        max="100"
        label="Share of one processor core, %"
        hide-details
      />
      <div class="pair">
        <SelectField v-model="every" :items="EVERY" label="Look for new pictures" />
        <v-text-field
          v-if="every !== 'never'"
          v-model="count"
          type="number"
          min="1"
          max="1000"
          :label="every === 'hours' ? 'Hours' : every === 'days' ? 'Days' : 'Weeks'"
          hide-details
        />
      </div>
    </div>
    <div class="bar">
      <v-checkbox v-model="hasQuiet" label="Only in quiet hours" hide-details density="compact" />
      <template v-if="hasQuiet">
        <label>from <input v-model="from" type="time" required /></label>
        <label>to <input v-model="to" type="time" required /></label>
        <span class="muted small">{{ zone }}</span>
      </template>
    </div>
    <NoteBox v-if="problem" kind="error" role="alert">{{ problem }}</NoteBox>
    <div><v-btn type="submit" color="primary" variant="flat" :disabled="problem !== null">Save</v-btn></div>
  </form>
</template>

<style scoped>
.plan {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.8rem;
  max-width: 46rem;
  margin: 0.8rem 0;
}
.pair {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 12rem), 1fr));
  gap: 0.8rem;
}
input[type='time'] {
  min-height: 28px;
  color: inherit;
  color-scheme: light dark;
}
</style>
