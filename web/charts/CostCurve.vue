<script setup lang="ts">
import { computed } from 'vue'
import { scaleLinear } from 'd3-scale'
import type { RegionSet } from '../../core/contracts/regions.ts'
import ChartAxes from './ChartAxes.vue'

/** What each further amount a month is worth in seconds: sets that none other beats, and the one that was chosen. */
const props = defineProps<{ curve: readonly RegionSet[]; chosen: RegionSet | null; currency: string }>()
const WIDTH = 720
const HEIGHT = 260
const MARGIN = { left: 54, right: 20, top: 14, bottom: 44 }

const x = computed(() =>
  scaleLinear()
    .domain([0, Math.max(1, ...props.curve.map(({ perMonth }) => perMonth))])
    .range([MARGIN.left, WIDTH - MARGIN.right])
    .nice(),
)
const y = computed(() =>
  scaleLinear()
    .domain([0, Math.max(1, ...props.curve.map(({ worstMs }) => worstMs)) / 1000])
    .range([HEIGHT - MARGIN.bottom, MARGIN.top])
    .nice(),
)
/** A step: until the next amount nothing better can be had. */
const stepsOf = (key: 'meanMs' | 'worstMs'): string => {
  const points = props.curve.map((set) => [x.value(set.perMonth), y.value(set[key] / 1000)] as const)
  const [first, ...others] = points
  if (first === undefined) return ''
  return `M${first.join(' ')}${others.map(([to, value]) => `H${to}V${value}`).join('')}H${WIDTH - MARGIN.right}`
}
const lines = computed(() => [
  { key: 'worst', name: 'slowest place', d: stepsOf('worstMs') },
  { key: 'mean', name: 'average', d: stepsOf('meanMs') },
])
const isChosen = (set: RegionSet): boolean => set.regions.join() === props.chosen?.regions.join()
</script>

<template>
  <figure>
    <svg
      :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
      role="img"
      aria-label="Seconds to the main content by cost a month; the table below has the chosen set"
    >
      <ChartAxes
        :x="x"
        :y="y"
        :x-ticks="x.ticks(6)"
        :y-ticks="y.ticks(5)"
        :width="WIDTH"
        :height="HEIGHT"
        :margin="MARGIN"
        :label="`${currency} a month`"
      />
      <path v-for="line in lines" :key="line.key" class="line" :class="line.key" :d="line.d" />
      <g v-for="set in curve" :key="set.regions.join()">
        <circle
          class="dot"
          :class="{ chosen: isChosen(set) }"
          :cx="x(set.perMonth)"
          :cy="y(set.meanMs / 1000)"
          :r="isChosen(set) ? 7 : 4"
        >
          <title>{{ set.regions.join(', ') || 'no region' }}</title>
        </circle>
      </g>
    </svg>
    <figcaption class="small muted">
      <span v-for="line in lines" :key="line.key" class="key"
        ><i class="stroke" :class="line.key" aria-hidden="true" /> {{ line.name }}</span
      >
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0.4rem 0 0.8rem;
  max-width: 54rem;
  overflow-x: auto;
}
svg {
  width: 100%;
  min-width: 34rem;
  height: auto;
  display: block;
}
.line {
  fill: none;
  stroke: rgb(var(--v-theme-live));
  stroke-width: 2;
}
.line.worst {
  stroke-dasharray: 6 4;
  stroke: rgb(var(--v-theme-origin));
}
.dot {
  fill: rgb(var(--v-theme-surface));
  stroke: rgb(var(--v-theme-live));
  stroke-width: 2;
}
.dot.chosen {
  fill: rgb(var(--v-theme-live));
}
.key {
  margin-right: 1.2rem;
}
.stroke {
  display: inline-block;
  width: 1.6rem;
  border-top: 2px solid rgb(var(--v-theme-live));
  vertical-align: middle;
}
.stroke.worst {
  border-top: 2px dashed rgb(var(--v-theme-origin));
}
</style>
