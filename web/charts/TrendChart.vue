<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref } from 'vue'
import type { TrendPoint } from '../../core/contracts/measurements.ts'
import type { Version } from '../../core/contracts/sites.ts'
import { sideName } from '../../core/measuring/sides.ts'
import { seconds, sideLook, when } from '../format/show.ts'
import { MARGIN, trendLayout } from './trend-layout.ts'

/** Time to the main content over the weeks, each run a dot, with the moments at which a version went live. */
const props = defineProps<{ points: readonly TrendPoint[]; versions: readonly Version[] }>()
const HEIGHT = 380
const room = ref<HTMLDivElement | null>(null)
const svg = ref<SVGSVGElement | null>(null)
const width = ref(900)
const layout = computed(() => trendLayout(props.points, props.versions, { width: width.value, height: HEIGHT }))
const lineOf = (dots: readonly { x: number; y: number }[]): string => dots.map(({ x, y }) => `${x},${y}`).join(' ')

let observer: ResizeObserver | undefined
onMounted(() => {
  observer = new ResizeObserver(([entry]) => {
    if (entry !== undefined) width.value = Math.max(320, Math.round(entry.contentRect.width))
  })
  if (room.value !== null) observer.observe(room.value)
})
onBeforeUnmount(() => observer?.disconnect())

/** Colours come from the theme's variables, which a picture by itself does not know. */
const styled = (element: SVGSVGElement): string => {
  const copy = element.cloneNode(true) as SVGSVGElement
  const originals = element.querySelectorAll<SVGElement>('*')
  copy.querySelectorAll<SVGElement>('*').forEach((one, index) => {
    const { fill, stroke, strokeDasharray, strokeWidth, opacity, fontSize, fontFamily } = getComputedStyle(
      originals[index]!,
    )
    Object.assign(one.style, { fill, stroke, strokeDasharray, strokeWidth, opacity, fontSize, fontFamily })
  })
  copy.setAttribute('xmlns', 'http://www.w3.org/2000/svg')
  copy.setAttribute('width', String(width.value))
  copy.setAttribute('height', String(HEIGHT))
  copy.style.background = getComputedStyle(room.value!).backgroundColor
  return new XMLSerializer().serializeToString(copy)
}
/** The chart as a document of its own, for saving. */
const toSvg = (): { text: string; width: number; height: number } => ({
  text: styled(svg.value!),
  width: width.value,
  height: HEIGHT,
})
defineExpose({ toSvg })
</script>

<template>
  <div ref="room" class="room">
    <svg
      ref="svg"
      :viewBox="`0 0 ${width} ${HEIGHT}`"
      :height="HEIGHT"
      width="100%"
      role="img"
      aria-label="Time to the main content over time; the table below has every figure"
    >
      <g class="axis">
        <template v-for="tick in layout.seconds" :key="tick.text">
          <line :x1="MARGIN.left" :x2="width - MARGIN.right" :y1="tick.y" :y2="tick.y" />
          <text :x="MARGIN.left - 8" :y="tick.y + 4" text-anchor="end">{{ tick.text }}</text>
        </template>
        <template v-for="day in layout.days" :key="day.x">
          <line :x1="day.x" :x2="day.x" :y1="HEIGHT - MARGIN.bottom" :y2="HEIGHT - MARGIN.bottom + 5" />
          <text :x="day.x" :y="HEIGHT - MARGIN.bottom + 20" text-anchor="middle">{{ day.text }}</text>
        </template>
      </g>
      <g v-for="limit in layout.thresholds" :key="limit.name" class="limit">
        <line :x1="MARGIN.left" :x2="width - MARGIN.right" :y1="limit.y" :y2="limit.y" />
        <text :x="width - MARGIN.right" :y="limit.y - 7" text-anchor="end">{{ limit.name }}</text>
      </g>
      <g v-for="version in layout.versions" :key="version.number" class="version">
        <line :x1="version.x" :x2="version.x" :y1="MARGIN.top - 10" :y2="HEIGHT - MARGIN.bottom" />
        <text :x="version.x + 4" :y="MARGIN.top - 2">version {{ version.number }}</text>
      </g>
      <g v-for="line in layout.lines" :key="line.side" :class="sideLook(line.side)">
        <circle v-for="(dot, index) in line.runs" :key="index" class="run" :cx="dot.x" :cy="dot.y" r="2" />
        <polyline :points="lineOf(line.medians)" />
        <circle v-for="dot in line.medians" :key="dot.point.at" class="median" :cx="dot.x" :cy="dot.y" r="5">
          <title>
            {{ sideName(line.side) }}, {{ when(dot.point.at) }}: main content after
            {{ seconds(dot.point.medians.lcpMs) }}
          </title>
        </circle>
      </g>
    </svg>
    <ul class="legend">
      <li v-for="line in layout.lines" :key="line.side">
        <svg :class="sideLook(line.side)" width="34" height="12" aria-hidden="true">
          <polyline points="0,6 34,6" />
          <circle class="median" cx="17" cy="6" r="5" />
        </svg>
        {{ sideName(line.side) }}
      </li>
      <li class="muted small">Small dots are single runs.</li>
    </ul>
  </div>
</template>

<style scoped>
.room {
  background: rgb(var(--v-theme-surface));
  border: 1px solid rgb(var(--v-theme-line));
}
svg {
  display: block;
}
text {
  fill: rgb(var(--v-theme-on-surface));
  font-size: 13px;
}
.axis line {
  stroke: rgb(var(--v-theme-line));
}
.limit line {
  stroke: rgb(var(--v-theme-secondary));
  stroke-dasharray: 6 4;
}
.version line {
  stroke: rgb(var(--v-theme-trial-ink));
  stroke-dasharray: 2 4;
  stroke-width: 1.5px;
}
.version text {
  fill: rgb(var(--v-theme-trial-ink));
}
polyline {
  fill: none;
  stroke: currentcolor;
  stroke-width: 2px;
}
.run {
  fill: currentcolor;
  opacity: 0.55;
}
.median {
  fill: currentcolor;
}
.origin {
  color: rgb(var(--v-theme-origin));
}
.origin .median {
  fill: rgb(var(--v-theme-surface));
  stroke: currentcolor;
  stroke-width: 2px;
}
.origin polyline,
.trial polyline,
.other polyline {
  stroke-dasharray: 3 4;
}
.live {
  color: rgb(var(--v-theme-live));
}
.trial {
  color: rgb(var(--v-theme-trial));
}
.other {
  color: rgb(var(--v-theme-secondary));
}
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 0.25rem 1.5rem;
  align-items: center;
  padding: 0 1rem 0.75rem;
  list-style: none;
}
.legend li {
  display: flex;
  gap: 0.5rem;
  align-items: center;
}
</style>
