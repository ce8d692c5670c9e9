<script setup lang="ts">
import { onBeforeUnmount, ref, watch } from 'vue'
import { useTheme } from 'vuetify'
import type Plotly from 'plotly.js-basic-dist-min'
import type { TrendPoint } from '../../core/contracts/measurements.ts'
import type { Side } from '../../core/contracts/measuring.ts'
import type { Version } from '../../core/contracts/sites.ts'
import { sideName, sideRank } from '../../core/measuring/sides.ts'
import { LCP_THRESHOLDS } from '../ruler/scale.ts'
import { sideLook } from '../format/show.ts'

/** Time to the main content over the weeks, each run a dot, with the moments at which a version went live. */
const props = defineProps<{ points: readonly TrendPoint[]; versions: readonly Version[] }>()
const theme = useTheme()
const room = ref<HTMLDivElement | null>(null)
const drawn = ref(false)
let plotly: typeof Plotly | undefined

const DAY_MS = 86_400_000
const SYMBOLS = { origin: 'circle-open', live: 'circle', trial: 'diamond', other: 'square-open' } as const
const draw = async (): Promise<void> => {
  if (room.value === null) return
  // A megabyte of its own: loaded when somebody looks at a trend, not before.
  plotly ??= (await import('plotly.js-basic-dist-min')).default
  const { colors } = theme.current.value
  const colour = (look: keyof typeof SYMBOLS): string => String(colors[look === 'other' ? 'secondary' : look])
  const sides = [...new Set(props.points.map(({ side }) => side))].toSorted((a, b) => sideRank(a) - sideRank(b))
  const ofSide = (side: Side): TrendPoint[] => props.points.filter((point) => point.side === side)
  const traces = sides.flatMap((side) => {
    const look = sideLook(side)
    const own = ofSide(side)
    return [
      {
        name: sideName(side),
        x: own.map(({ at }) => at),
        y: own.map(({ medians }) => (medians.lcpMs === null ? null : medians.lcpMs / 1000)),
        mode: 'lines+markers',
        line: { color: colour(look), width: 2, dash: look === 'live' ? 'solid' : 'dot' },
        marker: { symbol: SYMBOLS[look], size: 9, color: colour(look) },
      },
      {
        x: own.flatMap(({ at, lcpMs }) => lcpMs.map(() => at)),
        y: own.flatMap(({ lcpMs }) => lcpMs.map((ms) => ms / 1000)),
        mode: 'markers',
        marker: { size: 4, color: colour(look), opacity: 0.55 },
        showlegend: false,
        hoverinfo: 'skip',
      },
    ]
  })
  const from = props.points[0]?.at ?? ''
  const marked = props.versions.filter(({ publishedAt }) => publishedAt >= from)
  // Points of one evening are not a trend of milliseconds: the axis spans two days at least.
  const [first, last] = [props.points[0], props.points.at(-1)].map((point) => Date.parse(point?.at ?? '') || 0)
  const room24 = Math.max(0, DAY_MS - (last! - first!)) / 2 + DAY_MS / 4
  const layout = {
    paper_bgcolor: 'transparent',
    plot_bgcolor: 'transparent',
    font: { family: 'Figtree Variable, sans-serif', color: colors['on-surface'], size: 13 },
    margin: { l: 60, r: 20, t: 30, b: 50 },
    hovermode: 'closest',
    legend: { orientation: 'h', y: 1.12 },
    yaxis: {
      title: { text: 'seconds to the main content', font: { size: 13 } },
      rangemode: 'tozero',
      gridcolor: colors['line'],
    },
    xaxis: { gridcolor: colors['line'], type: 'date', range: [first! - room24, last! + room24] },
    shapes: [
      ...LCP_THRESHOLDS.map(({ atMs }) => ({
        type: 'line',
        xref: 'paper',
        x0: 0,
        x1: 1,
        y0: atMs / 1000,
        y1: atMs / 1000,
        line: { color: colors['secondary'], width: 1, dash: 'dash' },
      })),
      ...marked.map(({ publishedAt }) => ({
        type: 'line',
        yref: 'paper',
        y0: 0,
        y1: 1,
        x0: publishedAt,
        x1: publishedAt,
        line: { color: colors['trial-ink'], width: 1.5, dash: 'dot' },
      })),
    ],
    annotations: marked.map(({ publishedAt, number }) => ({
      x: publishedAt,
      y: 1,
      yref: 'paper',
      text: `version ${number}`,
      showarrow: false,
      xanchor: 'left',
      yanchor: 'top',
      font: { color: colors['trial-ink'] },
    })),
  }
  await plotly.react(room.value, traces as never, layout as never, {
    displayModeBar: false,
    responsive: true,
  })
  drawn.value = true
}
watch([() => props.points, () => props.versions, () => theme.name.value, room], () => void draw(), {
  immediate: true,
})
onBeforeUnmount(() => {
  if (room.value !== null) plotly?.purge(room.value)
})
const toPng = async (): Promise<string> =>
  plotly!.toImage(room.value!, { format: 'png', width: 1200, height: 500, scale: 2 })
defineExpose({ toPng, drawn })
</script>

<template>
  <div
    ref="room"
    class="room"
    role="img"
    aria-label="Time to the main content over time; the table below has every figure"
  />
</template>

<style scoped>
.room {
  height: 380px;
  background: rgb(var(--v-theme-surface));
  border: 1px solid rgb(var(--v-theme-line));
}
</style>
