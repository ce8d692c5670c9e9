<script setup lang="ts">
import { computed, ref, useId } from 'vue'
import type { Run } from '../../core/contracts/measurements.ts'
import { clockSteps, shownAt } from '../../core/measuring/filmstrip.ts'
import { sideName } from '../../core/measuring/sides.ts'
import SideTag from '../ui/SideTag.vue'
import { filmstripPng } from '../export/filmstrip-png.ts'
import { fileName, saveFile } from '../export/save.ts'
import { seconds } from '../format/show.ts'

/** What a visitor saw, of two to four loads under each other on one clock, with a cursor through all of them. */
const props = defineProps<{ runs: readonly Run[] }>()
const MOST = 12
const clockId = useId()

const strips = computed(() => props.runs.filter(({ frames }) => frames.length > 0))
const endMs = computed(() =>
  Math.max(200, ...strips.value.map(({ metrics, frames }) => Math.max(metrics?.lcpMs ?? 0, frames.at(-1)?.atMs ?? 0))),
)
const steps = computed(() => clockSteps(endMs.value, MOST))
/** Each picture stands for the time from its instant to the next one's. */
const lastMs = computed(() => Math.max(endMs.value, steps.value.length * (steps.value[1] ?? endMs.value)))
const cursor = ref<number | null>(null)
const cursorMs = computed(() => cursor.value ?? strips.value[0]?.metrics?.lcpMs ?? 0)
const savePng = async (): Promise<void> => {
  const [first] = strips.value
  saveFile(
    fileName(['filmstrip', first!.path === '/' ? 'home' : first!.path, first!.visitorId], 'png'),
    'image/png',
    await filmstripPng(strips.value, steps.value),
  )
}
const addressOf = (jpeg: string | undefined): string => (jpeg === undefined ? '' : `data:image/jpeg;base64,${jpeg}`)
const progressAt = (run: Run, ms: number): string => {
  const point = shownAt(run.details?.visual?.curve ?? [], ms)
  return point === undefined ? '' : `${Math.round(100 * point.share)}%`
}
/** The curve of visual progress as steps, on the same clock. */
const curve = (run: Run): string => {
  const points = run.details?.visual?.curve ?? []
  let path = 'M0 40'
  let before = 0
  for (const { atMs, share } of points) {
    const x = ((100 * atMs) / lastMs.value).toFixed(2)
    path += `L${x} ${(40 - before * 38).toFixed(1)}L${x} ${(40 - share * 38).toFixed(1)}`
    before = share
  }
  return `${path}L100 ${(40 - before * 38).toFixed(1)}`
}
</script>

<template>
  <p v-if="strips.length === 0" class="muted">
    There are no pictures of these loads. Each measurement takes them in the last load of every version.
  </p>
  <template v-else>
    <div class="clock">
      <label :for="clockId"
        >After <b>{{ seconds(cursorMs) }}</b></label
      >
      <input
        :id="clockId"
        type="range"
        min="0"
        :max="lastMs"
        step="10"
        :value="cursorMs"
        :aria-valuetext="seconds(cursorMs)"
        @input="cursor = Number(($event.target as HTMLInputElement).value)"
      />
      <v-btn size="small" aria-label="Save the filmstrip as PNG" @click="savePng">PNG</v-btn>
    </div>
    <div v-for="run in strips" :key="run.id" class="strip">
      <div class="now">
        <SideTag :side="run.side" />
        <img
          :src="addressOf(shownAt(run.frames, cursorMs)?.jpeg)"
          :alt="`${sideName(run.side)} after ${seconds(cursorMs)}: ${progressAt(run, cursorMs)} of its final look`"
        />
        <span class="small">{{ progressAt(run, cursorMs) }} of its final look</span>
      </div>
      <div class="film" tabindex="0">
        <div class="frames" :style="{ gridTemplateColumns: `repeat(${steps.length}, minmax(44px, 1fr))` }">
          <figure v-for="ms in steps" :key="ms" :class="{ passed: ms <= cursorMs }">
            <img :src="addressOf(shownAt(run.frames, ms)?.jpeg)" alt="" loading="lazy" />
            <figcaption class="small">{{ seconds(ms) }}</figcaption>
          </figure>
        </div>
        <svg class="curve" viewBox="0 0 100 42" preserveAspectRatio="none" aria-hidden="true">
          <path :d="curve(run)" />
          <line :x1="(100 * cursorMs) / lastMs" :x2="(100 * cursorMs) / lastMs" y1="0" y2="42" />
        </svg>
        <p class="small muted">
          First paint {{ seconds(run.metrics?.fcpMs) }}, main content {{ seconds(run.metrics?.lcpMs) }}
          <template v-if="run.details?.visual">
            · on average, pixels reached their final look after {{ seconds(run.details.visual.meanMs) }}</template
          >
        </p>
      </div>
    </div>
  </template>
</template>

<style scoped>
.clock {
  display: grid;
  grid-template-columns: 110px minmax(0, 1fr) auto;
  gap: 1rem;
  align-items: center;
  margin-bottom: 0.5rem;
}
input[type='range'] {
  accent-color: rgb(var(--v-theme-primary));
  width: 100%;
}
.strip {
  display: grid;
  grid-template-columns: 110px minmax(0, 1fr);
  gap: 1rem;
  margin-bottom: 0.8rem;
}
.now {
  display: grid;
  gap: 0.3rem;
  align-content: start;
}
.now img {
  width: 100%;
  max-height: 200px;
  object-fit: contain;
  object-position: top left;
}
img {
  border: 1px solid rgb(var(--v-theme-line));
  background: #fff;
}
.film {
  overflow-x: auto;
}
.frames {
  display: grid;
  gap: 4px;
  min-width: 520px;
}
figure {
  margin: 0;
}
/* What is still to come is paler; the figures under it are not, they are to be read. */
figure:not(.passed) img {
  opacity: 0.55;
}
figure img {
  width: 100%;
  display: block;
  max-height: 130px;
  object-fit: cover;
  object-position: top;
}
.curve {
  width: 100%;
  height: 34px;
  display: block;
  border-left: 2px solid rgb(var(--v-theme-secondary));
  border-bottom: 1px solid rgb(var(--v-theme-secondary));
  min-width: 520px;
}
.curve path {
  fill: none;
  stroke: rgb(var(--v-theme-live));
  stroke-width: 2;
  vector-effect: non-scaling-stroke;
}
.curve line {
  stroke: rgb(var(--v-theme-trial-ink));
  stroke-width: 1.5;
  vector-effect: non-scaling-stroke;
}
@media (max-width: 760px) {
  .strip,
  .clock {
    grid-template-columns: minmax(0, 1fr);
    gap: 0.4rem;
  }
  .now img {
    max-width: 120px;
  }
}
</style>
