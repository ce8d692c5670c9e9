<script setup lang="ts">
import { computed } from 'vue'
import { scaleLinear, scaleLog } from 'd3-scale'
import type { LoadBounds, LoadCurve } from '../../core/contracts/load-tests.ts'
import ChartAxes from './ChartAxes.vue'

/** How long pages take by how many visitors come, for each target; the owner's bound is a line across. */
const props = defineProps<{ curves: readonly LoadCurve[]; bounds: LoadBounds }>()
const WIDTH = 760
const HEIGHT = 300
const MARGIN = { left: 54, right: 90, top: 14, bottom: 44 }
/** Longer waits are drawn at the upper edge. */
const MOST_OF_BOUND = 1.5
const LOOKS: Record<LoadCurve['target']['kind'], string> = { origin: 'origin', live: 'live', edge: 'trial' }

const steps = computed(() => props.curves.flatMap((curve) => curve.steps))
const x = computed(() => {
  const rates = steps.value.map(({ perSecond }) => perSecond)
  return scaleLog()
    .domain([Math.min(2, ...rates), Math.max(10, ...rates)])
    .range([MARGIN.left, WIDTH - MARGIN.right])
})
const mostS = computed(() => (props.bounds.waitMs * MOST_OF_BOUND) / 1000)
const y = computed(() =>
  scaleLinear()
    .domain([0, mostS.value])
    .range([HEIGHT - MARGIN.bottom, MARGIN.top])
    .clamp(true),
)
const boundAt = computed(() => y.value(props.bounds.waitMs / 1000))
/** Rates that are named on the axis: 1, 2 and 5 of each power of ten. */
const ticks = computed(() => {
  const [from = 1, to = 10] = x.value.domain()
  return [0.5, 1, 2, 5, 10, 20, 50, 100, 200, 500, 1000].filter((tick) => tick >= from && tick <= to)
})
const lines = computed(() =>
  props.curves
    .filter((curve) => curve.steps.length > 0)
    .map((curve) => {
      const points = curve.steps
        .toSorted((a, b) => a.perSecond - b.perSecond)
        .map((step) => ({
          step,
          x: x.value(step.perSecond),
          y: y.value(step.p95Ms === null ? mostS.value : step.p95Ms / 1000),
          isBorne: curve.result === null || (curve.result.borne !== null && step.perSecond <= curve.result.borne),
        }))
      return {
        curve,
        points,
        look: LOOKS[curve.target.kind],
        d: `M${points.map((one) => `${one.x} ${one.y}`).join('L')}`,
      }
    }),
)
</script>

<template>
  <figure>
    <svg
      :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
      role="img"
      aria-label="Seconds within which 19 of 20 pages came, by visitors a second; the tables below have the figures"
    >
      <ChartAxes
        :x="x"
        :y="y"
        :x-ticks="ticks"
        :y-ticks="y.ticks(5)"
        :width="WIDTH"
        :height="HEIGHT"
        :margin="MARGIN"
        label="visitors a second"
      />
      <line class="bound" :x1="MARGIN.left" :x2="WIDTH - MARGIN.right" :y1="boundAt" :y2="boundAt" />
      <text :x="WIDTH - MARGIN.right + 6" :y="boundAt + 4">your limit</text>
      <g v-for="line in lines" :key="line.curve.name" :class="line.look">
        <path class="line" :d="line.d" />
        <template v-for="point in line.points" :key="point.step.perSecond">
          <circle v-if="point.isBorne" class="dot" :cx="point.x" :cy="point.y" r="4.5" />
          <path v-else class="cross" :d="`M${point.x - 5} ${point.y - 5}l10 10M${point.x - 5} ${point.y + 5}l10 -10`" />
        </template>
      </g>
    </svg>
    <figcaption class="small muted">
      <span v-for="line in lines" :key="line.curve.name" class="key"
        ><i class="stroke" :class="line.look" aria-hidden="true" /> {{ line.curve.name }}</span
      >
      <span class="key">○ handled</span>
      <span>✕ too much</span>
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0.4rem 0 0.8rem;
  max-width: 58rem;
  overflow-x: auto;
}
svg {
  width: 100%;
  min-width: 34rem;
  height: auto;
  display: block;
}
text {
  font-size: 13px;
  fill: rgb(var(--v-theme-on-surface));
}
.bound {
  stroke: rgb(var(--v-theme-on-surface));
  stroke-dasharray: 2 4;
}
.line,
.cross {
  fill: none;
  stroke-width: 2;
  stroke: currentColor;
}
.dot {
  fill: rgb(var(--v-theme-surface));
  stroke: currentColor;
  stroke-width: 2;
}
.origin {
  color: rgb(var(--v-theme-origin));
}
.live {
  color: rgb(var(--v-theme-live));
}
.trial {
  color: rgb(var(--v-theme-trial));
}
.trial .line {
  stroke-dasharray: 6 4;
}
.key {
  margin-right: 1.2rem;
}
.stroke {
  display: inline-block;
  width: 1.6rem;
  border-top: 2px solid currentColor;
  vertical-align: middle;
}
.stroke.trial {
  border-top-style: dashed;
}
</style>
