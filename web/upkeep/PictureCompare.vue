<script setup lang="ts">
import { computed, onMounted, ref, useTemplateRef } from 'vue'
import type { LibraryPicture, PictureForm, PictureTreatment } from '../../core/contracts/picture-library.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { bytes } from '../format/show.ts'
import SelectField from '../ui/SelectField.vue'

/** A picture before and after, one laid over the other at one pixel for each of the screen, with a line that moves between them. */
const props = defineProps<{ site: Site; picture: LibraryPicture }>()
const emit = defineEmits<{ treat: [treatment: PictureTreatment]; closed: [] }>()
const NAMES = { avif: 'AVIF', webp: 'WebP', jpeg: 'JPEG', png: 'PNG', gif: 'GIF' } as const
const form = ref<PictureForm>(props.picture.variants[0]?.form ?? 'jpeg')
const variant = computed(() => props.picture.variants.find((one) => one.form === form.value))
const items = computed(() =>
  props.picture.variants.map((one) => ({ value: one.form, title: `${NAMES[one.form]}, ${bytes(one.bytes)}` })),
)
/** Where the line is, as a share of what is visible. */
const share = ref(50)
const shown = ref({ from: 0, width: 0 })
const view = useTemplateRef<HTMLElement>('view')
const measure = (): void => {
  if (view.value !== null) shown.value = { from: view.value.scrollLeft, width: view.value.clientWidth }
}
onMounted(() => {
  const box = view.value
  if (box === null) return
  box.scrollIntoView({ block: 'nearest' })
  // The middle shows more than the sky.
  box.scrollTo((box.scrollWidth - box.clientWidth) / 2, (box.scrollHeight - box.clientHeight) / 2)
  measure()
})
/** Pixels from the left edge of the picture. */
const line = computed(() => {
  const width = variant.value?.width ?? 0
  return Math.round(shown.value.from + (share.value / 100) * Math.min(shown.value.width, width))
})
const at = (rest: string): string => `/api/v1/sites/${props.site.id}/pictures/${props.picture.id}/${rest}`
/** Another address for another result, so that no browser shows the one before. */
const lighter = computed(() => at(`lighter/${form.value}?made=${encodeURIComponent(props.picture.doneAt ?? '')}`))
const size = computed(() => ({ width: `${variant.value?.width ?? 0}px`, height: `${variant.value?.height ?? 0}px` }))
</script>

<template>
  <section v-if="variant" class="panel compare" :aria-label="`Compare ${picture.path}`">
    <h3>{{ picture.path }}</h3>
    <div class="controls">
      <SelectField v-model="form" :items="items" label="Compare with" />
      <label class="slider">
        <span>Original on the left, lighter on the right</span>
        <input v-model.number="share" type="range" min="0" max="100" :aria-valuetext="`${share}% original`" />
      </label>
    </div>
    <p class="muted small">
      {{ NAMES[variant.form] }}, {{ variant.quality === null ? 'every pixel kept' : `quality ${variant.quality}` }};
      similarity {{ variant.similarity.toFixed(4) }} (1 is the same); {{ bytes(picture.bytes) }} before,
      {{ bytes(variant.bytes) }} after<template v-if="variant.width < picture.width"
        >; {{ variant.width }} pixels wide, {{ picture.width }} before</template
      >.
    </p>
    <div
      ref="view"
      class="window"
      @scroll="measure"
      tabindex="0"
      role="group"
      :aria-label="`${picture.path} before and after; scrolls`"
    >
      <div class="over" :style="size">
        <img :src="at('original')" alt="The original" />
        <img :src="lighter" alt="The lighter picture" :style="{ clipPath: `inset(0 0 0 ${line}px)` }" />
        <i :style="{ left: `${line}px` }" />
      </div>
    </div>
    <div class="bar">
      <v-btn v-if="picture.treatment !== 'lossless'" size="small" @click="emit('treat', 'lossless')"
        >Keep every pixel of this one</v-btn
      >
      <v-btn size="small" @click="emit('treat', 'as-planned')">Make it again</v-btn>
      <v-btn size="small" @click="emit('closed')">Close</v-btn>
    </div>
  </section>
</template>

<style scoped>
.controls {
  display: grid;
  grid-template-columns: minmax(0, 14rem) minmax(0, 1fr);
  gap: 0.8rem 1.2rem;
  align-items: end;
  max-width: 46rem;
}
@media (max-width: 600px) {
  .controls {
    grid-template-columns: minmax(0, 1fr);
  }
}
.slider span {
  display: block;
  font-size: 0.85rem;
}
.slider input {
  width: 100%;
  height: 28px;
  accent-color: rgb(var(--v-theme-primary));
}
.compare {
  padding: 0.6rem 1rem;
  margin: 0.6rem 0;
}
h3 {
  margin: 0 0 0.6rem;
  overflow-wrap: anywhere;
}
.window {
  overflow: auto;
  max-height: 32rem;
  border: 1px solid rgb(var(--v-theme-line));
}
.over {
  position: relative;
}
.over img {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
.over i {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 2px;
  margin-left: -1px;
  background: rgb(var(--v-theme-primary));
}
.bar {
  margin: 0.5rem 0;
}
</style>
