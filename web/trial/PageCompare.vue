<script setup lang="ts">
import { computed, ref } from 'vue'
import type { PageSafety, SafetyPictures } from '../../core/contracts/safety.ts'

/** A page before and after, and where the two differ; what looks different each time is masked. */
const props = defineProps<{ page: PageSafety; pictures: SafetyPictures }>()
const SHOWN = [
  { value: 'both', title: 'Side by side' },
  { value: 'difference', title: 'Difference' },
] as const
const shown = ref<'both' | 'difference'>('both')
const source = (jpeg: string): string => `data:image/jpeg;base64,${jpeg}`
const size = ref({ width: 0, height: 0 })
const found = computed(() => props.page.findings.flatMap(({ boxes }) => boxes))
const measure = (event: Event): void => {
  const image = event.target as HTMLImageElement
  size.value = { width: image.naturalWidth, height: image.naturalHeight }
}
</script>

<template>
  <div class="compare">
    <v-btn-toggle v-model="shown" mandatory density="compact" aria-label="View">
      <v-btn v-for="one in SHOWN" :key="one.value" :value="one.value" size="small">{{ one.title }}</v-btn>
    </v-btn-toggle>
    <p class="muted small keys">
      <span><i class="differs" /> looks different</span>
      <span><i class="found" /> found by its place or words</span>
      <span><i class="mask" /> masked: looks different each time</span>
    </p>
    <div class="pictures" :class="shown" tabindex="0" :aria-label="`${page.path} before and after; scrolls`">
      <figure v-if="shown === 'both'">
        <figcaption>Live</figcaption>
        <img :src="source(pictures.before)" :alt="`${page.path} as visitors get it`" />
      </figure>
      <figure>
        <figcaption>{{ shown === 'both' ? 'Trial' : 'Trial, differences marked' }}</figcaption>
        <div class="marked">
          <img v-if="pictures.after" :src="source(pictures.after)" :alt="`${page.path} in trial`" @load="measure" />
          <p v-else>The page could not be loaded in trial.</p>
          <svg v-if="size.width > 0" :viewBox="`0 0 ${size.width} ${size.height}`" aria-hidden="true">
            <rect
              v-for="([x, y, w, h], i) in page.masks"
              :key="`m${i}`"
              class="mask"
              :x="x"
              :y="y"
              :width="w"
              :height="h"
            />
            <rect
              v-for="([x, y, w, h], i) in page.differing"
              :key="`d${i}`"
              class="differs"
              :x="x"
              :y="y"
              :width="w"
              :height="h"
            />
            <rect
              v-for="([x, y, w, h], i) in found"
              :key="`f${i}`"
              class="found"
              :x="x"
              :y="y"
              :width="w"
              :height="h"
            />
          </svg>
        </div>
      </figure>
    </div>
  </div>
</template>

<style scoped>
.compare {
  margin: 0.5rem 0;
}
.keys {
  display: flex;
  gap: 0.3rem 1.2rem;
  flex-wrap: wrap;
  max-width: none;
  margin: 0.4rem 0;
}
.keys i {
  display: inline-block;
  width: 1em;
  height: 0.8em;
  margin-right: 0.3em;
  vertical-align: -0.05em;
}
.keys .differs {
  background: rgba(var(--v-theme-trial), 0.55);
}
.keys .found {
  border: 2px dashed rgb(var(--v-theme-error));
}
.keys .mask {
  background: repeating-linear-gradient(45deg, rgb(var(--v-theme-secondary)) 0 1px, transparent 1px 4px);
  border: 1px solid rgb(var(--v-theme-secondary));
}
.pictures {
  max-height: 560px;
  overflow: auto;
  display: grid;
  gap: 0.8rem;
  border: 1px solid rgb(var(--v-theme-line));
  padding: 0.6rem;
}
.pictures.both {
  grid-template-columns: 1fr 1fr;
}
figure {
  margin: 0;
  min-width: 0;
}
figcaption {
  font-weight: 600;
  margin-bottom: 0.2rem;
}
.marked {
  position: relative;
  width: fit-content;
}
img {
  max-width: 100%;
  display: block;
}
.difference img {
  opacity: 0.45;
}
svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
.both svg {
  display: none;
}
rect.differs {
  fill: rgb(var(--v-theme-trial));
  fill-opacity: 0.55;
}
rect.found {
  fill: none;
  stroke: rgb(var(--v-theme-error));
  stroke-width: 2;
  stroke-dasharray: 6 4;
}
rect.mask {
  fill: rgb(var(--v-theme-secondary));
  fill-opacity: 0.25;
}
</style>
