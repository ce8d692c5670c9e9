<script setup lang="ts">
import { computed } from 'vue'
import { DAY_MS, type ChannelTraffic } from '../../core/contracts/delivery.ts'
import type { WarmUpRound } from '../../core/contracts/warm-up.ts'
import { whole } from '../format/show.ts'

/** Cold visits per 1,000 over time, with the warm-up rounds marked: by day, and by hour while there are few days. */
const props = defineProps<{
  days: ChannelTraffic['days']
  course: ChannelTraffic['course']
  rounds: readonly WarmUpRound[]
}>()

const HOUR_MS = 3_600_000
const HEIGHT = 70
const STEP = 10
const LEAST_DAYS = 3
const MOST_BARS = 62
const LEAST_BARS = 24

interface Bar {
  at: number
  visits: number
  cold: number
  spared: number
}

const width = computed(() => (props.days.length >= LEAST_DAYS ? DAY_MS : HOUR_MS))
const bars = computed<Bar[]>(() => {
  const source = width.value === DAY_MS ? props.days : props.course
  const [first] = source
  const last = source.at(-1)
  if (first === undefined || last === undefined) return []
  const begin = (at: number): number => Math.floor(at / width.value) * width.value
  const sums = new Map<number, Bar>()
  for (let at = begin(first.at); at <= last.at; at += width.value) sums.set(at, { at, visits: 0, cold: 0, spared: 0 })
  for (const one of source) {
    const bar = sums.get(begin(one.at))
    if (bar === undefined) continue
    bar.visits += one.pageVisits
    bar.cold += one.coldVisits
    bar.spared += one.sparedVisits
  }
  return [...sums.values()].slice(-MOST_BARS)
})
const share = ({ cold, visits }: Bar): number => (visits === 0 ? 0 : (1000 * cold) / visits)
const most = computed(() => Math.max(10, ...bars.value.map(share)))
const highest = computed(() => {
  const value = Math.max(0, ...bars.value.map(share))
  return value === 0 ? '' : `, highest ${whole(Math.round(value))}`
})
const tall = (bar: Bar): number => (share(bar) / most.value) * HEIGHT
const wide = computed(() => Math.max(bars.value.length, LEAST_BARS) * STEP)
const marks = computed(() => {
  const [first] = bars.value
  if (first === undefined) return []
  return props.rounds
    .map(({ at }) => ((new Date(at).getTime() - first.at) / width.value) * STEP)
    .filter((x) => x >= 0 && x <= bars.value.length * STEP)
})
const name = (at: number): string =>
  width.value === DAY_MS
    ? new Date(at).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', timeZone: 'UTC' })
    : new Date(at).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
const sum = computed(() => {
  const all = bars.value.reduce(
    (before, { visits, cold, spared }) => ({
      visits: before.visits + visits,
      cold: before.cold + cold,
      spared: before.spared + spared,
    }),
    { visits: 0, cold: 0, spared: 0 },
  )
  return `${whole(all.cold)} of ${whole(all.visits)} visits were cold; warm-up spared ${whole(all.spared)} the wait.`
})
</script>

<template>
  <figure v-if="bars.length > 0">
    <svg
      role="img"
      :aria-label="`Cold visits per 1,000. ${sum}`"
      :viewBox="`0 0 ${wide} ${HEIGHT + 12}`"
      preserveAspectRatio="none"
    >
      <rect
        v-for="(bar, index) in bars"
        :key="bar.at"
        class="cold"
        :x="index * STEP + 0.5"
        :width="STEP - 1.5"
        :y="HEIGHT - tall(bar)"
        :height="tall(bar)"
      >
        <title>
          {{ name(bar.at) }}: {{ whole(Math.round(share(bar))) }} cold per 1,000 of {{ whole(bar.visits) }} visits
        </title>
      </rect>
      <line class="base" x1="0" :x2="wide" :y1="HEIGHT" :y2="HEIGHT" />
      <line
        v-for="(mark, index) in marks"
        :key="index"
        class="round"
        :x1="mark"
        :x2="mark"
        :y1="HEIGHT + 2"
        :y2="HEIGHT + 12"
      />
    </svg>
    <figcaption class="small muted">
      <span class="key cold" aria-hidden="true"></span> cold visits per 1,000,
      {{ width === DAY_MS ? 'by day' : 'by hour' }}{{ highest }}
      <span class="key round" aria-hidden="true"></span> warm-up round. {{ sum }}
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0.4rem 0 1rem;
}
svg {
  width: 100%;
  height: 82px;
  display: block;
}
.cold {
  fill: rgba(var(--v-theme-on-surface), 0.45);
}
.base {
  stroke: rgb(var(--v-theme-on-surface));
  vector-effect: non-scaling-stroke;
}
line.round {
  stroke: rgb(var(--v-theme-live));
  stroke-width: 3;
  vector-effect: non-scaling-stroke;
}
.key {
  display: inline-block;
  width: 0.8em;
  height: 0.8em;
  vertical-align: -0.05em;
}
.key.cold {
  background: rgba(var(--v-theme-on-surface), 0.45);
}
.key.round {
  width: 0.25em;
  margin-left: 0.8em;
  background: rgb(var(--v-theme-live));
}
</style>
