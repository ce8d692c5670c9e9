<script setup lang="ts">
import { scaleLinear } from 'd3-scale'
import { computed, onBeforeUnmount, onMounted, ref } from 'vue'
import type { PlanFigures } from '../../core/contracts/planner.ts'
import type { PlanPoint } from '../../core/contracts/simulations.ts'
import { bestOf } from '../../core/planner/plan-search.ts'
import { howMany, whole } from '../format/show.ts'

/** Cold visits against requests to the origin: every setting that was tried, and the line of those that no other one beats. */
const props = defineProps<{
  points: readonly PlanPoint[]
  now: PlanFigures
  plan: PlanFigures
  /** Requests a day that the owner allows. */
  bound: number
}>()
const emit = defineEmits<{ pick: [point: PlanPoint] }>()

const HEIGHT = 280
const LEAST_WIDTH = 320
const room = ref<HTMLElement | null>(null)
const width = ref(720)
const MARGIN = { left: 52, right: 18, top: 16, bottom: 44 }
let observer: ResizeObserver | undefined
onMounted(() => {
  observer = new ResizeObserver(([entry]) => {
    if (entry !== undefined) width.value = Math.max(LEAST_WIDTH, Math.round(entry.contentRect.width))
  })
  if (room.value !== null) observer.observe(room.value)
})
onBeforeUnmount(() => observer?.disconnect())

const best = computed(() => bestOf(props.points))
/** What the picture is there for: now, the plan, the bound and the line between few requests and few cold visits. */
const framed = computed(() => [...best.value.map(({ figures }) => figures), props.now, props.plan])
const BEYOND = 1.5
const most = (of: (figures: PlanFigures) => number): number => Math.max(1, ...framed.value.map(of))
const mostRequests = computed(
  () =>
    BEYOND *
    Math.max(
      props.bound,
      most(({ originPerDay }) => originPerDay),
    ),
)
const mostCold = computed(() => BEYOND * most(({ coldPerMille }) => coldPerMille))
const shown = computed(() =>
  props.points.filter(
    ({ figures }) => figures.originPerDay <= mostRequests.value && figures.coldPerMille <= mostCold.value,
  ),
)
const x = computed(() =>
  scaleLinear()
    .domain([0, mostRequests.value])
    .range([MARGIN.left, width.value - MARGIN.right]),
)
const y = computed(() =>
  scaleLinear()
    .domain([0, mostCold.value])
    .range([HEIGHT - MARGIN.bottom, MARGIN.top]),
)
const place = ({ originPerDay, coldPerMille }: PlanFigures): string =>
  `translate(${x.value(originPerDay)} ${y.value(coldPerMille)})`
const line = computed(() =>
  best.value.map(({ figures }) => `${x.value(figures.originPerDay)},${y.value(figures.coldPerMille)}`).join(' '),
)
/** The point of the line nearest to the plan; the slider stands there. */
const chosen = computed(() => {
  const distance = ({ figures }: PlanPoint): number =>
    Math.hypot(
      x.value(figures.originPerDay) - x.value(props.plan.originPerDay),
      y.value(figures.coldPerMille) - y.value(props.plan.coldPerMille),
    )
  return best.value.reduce(
    (nearest, point, at) => (distance(point) < distance(best.value[nearest] ?? point) ? at : nearest),
    0,
  )
})
const inWords = (point: PlanPoint | undefined): string => (point === undefined ? '' : pointInWords(point.figures))
const pointInWords = ({ originPerDay, coldPerMille }: PlanFigures): string =>
  `${whole(coldPerMille)} cold visits per 1,000 for ${whole(originPerDay)} requests per day`
const pick = (event: Event): void => {
  const point = best.value[Number((event.target as HTMLInputElement).value)]
  if (point !== undefined) emit('pick', point)
}
</script>

<template>
  <figure ref="room">
    <svg :viewBox="`0 0 ${width} ${HEIGHT}`" role="img" aria-label="Cold visits against requests to your server">
      <g class="axis">
        <template v-for="tick in y.ticks(5)" :key="`y${tick}`">
          <line :x1="MARGIN.left" :x2="width - MARGIN.right" :y1="y(tick)" :y2="y(tick)" />
          <text :x="MARGIN.left - 8" :y="y(tick) + 4" text-anchor="end">{{ whole(tick) }}</text>
        </template>
        <template v-for="tick in x.ticks(Math.max(3, Math.round(width / 130)))" :key="`x${tick}`">
          <line :x1="x(tick)" :x2="x(tick)" :y1="HEIGHT - MARGIN.bottom" :y2="HEIGHT - MARGIN.bottom + 5" />
          <text :x="x(tick)" :y="HEIGHT - MARGIN.bottom + 19" text-anchor="middle">{{ whole(tick) }}</text>
        </template>
        <text :x="width - MARGIN.right" :y="HEIGHT - 6" text-anchor="end">
          requests for pages to your server (origin) per day
        </text>
        <text :x="MARGIN.left" y="11">cold visits per 1,000</text>
      </g>
      <line class="bound" :x1="x(bound)" :x2="x(bound)" :y1="MARGIN.top" :y2="HEIGHT - MARGIN.bottom" />
      <circle
        v-for="(point, at) in shown"
        :key="at"
        class="tried"
        r="2.5"
        :transform="place(point.figures)"
        @click="emit('pick', point)"
      >
        <title>{{ inWords(point) }}</title>
      </circle>
      <polyline class="best" :points="line" />
      <circle
        v-for="(point, at) in best"
        :key="`best${at}`"
        class="best"
        r="5"
        :transform="place(point.figures)"
        @click="emit('pick', point)"
      >
        <title>{{ inWords(point) }}</title>
      </circle>
      <circle class="now" r="6" :transform="place(now)"><title>Now</title></circle>
      <path class="plan" d="M0-8 8 0 0 8-8 0Z" :transform="place(plan)"><title>Plan</title></path>
    </svg>
    <label v-if="best.length > 1" class="slider">
      <span class="small">Move along the line: from fewest requests to fewest cold visits</span>
      <input
        type="range"
        min="0"
        :max="best.length - 1"
        :value="chosen"
        :aria-valuetext="inWords(best[chosen])"
        @change="pick"
      />
    </label>
    <figcaption class="small muted">
      <span class="key now" aria-hidden="true"></span> now <span class="key plan" aria-hidden="true"></span> plan
      <span class="key best" aria-hidden="true"></span> no other setting tried has both fewer cold visits and fewer
      requests. The dashed line is your bound. Click a point to plan with it.
      <span v-if="shown.length < points.length"
        >{{ howMany(points.length - shown.length, 'setting') }} with far more of both lie outside the picture.</span
      >
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  max-width: 56rem;
  margin: 0.4rem 0 1rem;
}
svg {
  display: block;
  width: 100%;
}
.axis line {
  stroke: rgb(var(--v-theme-line));
}
text {
  font-size: 11px;
  fill: rgb(var(--v-theme-secondary));
}
.tried {
  fill: rgba(var(--v-theme-on-surface), 0.3);
  cursor: pointer;
}
polyline.best {
  fill: none;
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 1.5;
}
circle.best {
  fill: rgb(var(--v-theme-surface));
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 1.5;
  cursor: pointer;
}
.now {
  fill: rgb(var(--v-theme-live));
}
.plan {
  fill: rgb(var(--v-theme-trial));
  stroke: rgb(var(--v-theme-on-surface));
}
.bound {
  stroke: rgb(var(--v-theme-on-surface));
  stroke-dasharray: 5 4;
}
.slider {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem 1rem;
  align-items: center;
}
.slider input {
  flex: 1 1 12rem;
  max-width: 30rem;
  accent-color: rgb(var(--v-theme-trial));
}
.key {
  display: inline-block;
  width: 0.75em;
  height: 0.75em;
  margin-left: 0.6em;
  border-radius: 50%;
}
.key.now {
  margin-left: 0;
  background: rgb(var(--v-theme-live));
}
.key.plan {
  border-radius: 0;
  border: 1px solid rgb(var(--v-theme-on-surface));
  background: rgb(var(--v-theme-trial));
  transform: rotate(45deg) scale(0.85);
}
.key.best {
  border: 1.5px solid rgb(var(--v-theme-on-surface));
}
</style>
