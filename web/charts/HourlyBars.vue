<script setup lang="ts">
import { computed } from 'vue'
import { STRETCH_MS, type ChannelTraffic } from '../../core/contracts/delivery.ts'
import { whole } from '../format/show.ts'

/** Requests over time, each bar cut into what the store answered and what had to go to the origin. */
const props = defineProps<{ course: ChannelTraffic['course'] }>()

const HEIGHT = 84
const MOST_BARS = 72

interface Bar {
  at: number
  requests: number
  hits: number
  coldVisits: number
}

/** Stretches put together until they fit; empty ones count, so that a quiet night is seen as one. */
const bars = computed<Bar[]>(() => {
  const first = props.course[0]!.at
  const last = props.course.at(-1)!.at
  const stretches = (last - first) / STRETCH_MS + 1
  const width = Math.max(1, Math.ceil(stretches / MOST_BARS)) * STRETCH_MS
  const sums = new Map<number, Bar>()
  for (let at = first; at <= last; at += width) sums.set(at, { at, requests: 0, hits: 0, coldVisits: 0 })
  for (const one of props.course) {
    const bar = sums.get(first + Math.floor((one.at - first) / width) * width)!
    bar.requests += one.requests
    bar.hits += one.hits
    bar.coldVisits += one.coldVisits
  }
  return [...sums.values()]
})
const most = computed(() => Math.max(1, ...bars.value.map(({ requests }) => requests)))
const clock = (at: number): string => new Date(at).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
const step = 10
const tall = (count: number): number => (count / most.value) * HEIGHT
const sum = computed(() => {
  const hits = bars.value.reduce((all, bar) => all + bar.hits, 0)
  const requests = bars.value.reduce((all, bar) => all + bar.requests, 0)
  return `${whole(requests)} requests, ${whole(hits)} of them answered from the store, between ${clock(bars.value[0]!.at)} and ${clock(bars.value.at(-1)!.at + STRETCH_MS)}. Busiest stretch: ${whole(most.value)} requests.`
})
</script>

<template>
  <figure>
    <svg
      role="img"
      :aria-label="sum"
      :viewBox="`0 0 ${Math.max(bars.length, 24) * step} ${HEIGHT + 2}`"
      preserveAspectRatio="none"
    >
      <g v-for="(bar, index) in bars" :key="bar.at">
        <title>
          {{ clock(bar.at) }}: {{ bar.requests }} requests, {{ bar.hits }} from the store, {{ bar.coldVisits }} cold
          visits
        </title>
        <rect
          class="rest"
          :x="index * step + 0.5"
          :width="step - 1.5"
          :y="HEIGHT - tall(bar.requests)"
          :height="tall(bar.requests - bar.hits)"
        />
        <rect
          class="hits"
          :x="index * step + 0.5"
          :width="step - 1.5"
          :y="HEIGHT - tall(bar.hits)"
          :height="tall(bar.hits)"
        />
      </g>
      <line class="base" x1="0" :x2="Math.max(bars.length, 24) * step" :y1="HEIGHT" :y2="HEIGHT" />
    </svg>
    <figcaption class="small muted">
      <span class="key hits" aria-hidden="true"></span> from the store
      <span class="key rest" aria-hidden="true"></span> from your server (origin). {{ sum }}
    </figcaption>
  </figure>
</template>

<style scoped>
figure {
  margin: 0.4rem 0 1rem;
}
svg {
  width: 100%;
  height: 88px;
  display: block;
}
rect.hits {
  fill: rgb(var(--v-theme-live));
}
rect.rest {
  fill: rgba(var(--v-theme-on-surface), 0.28);
}
.base {
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 1;
  vector-effect: non-scaling-stroke;
}
.key {
  display: inline-block;
  width: 0.8em;
  height: 0.8em;
  vertical-align: -0.05em;
  margin-left: 0.6em;
}
.key.hits {
  background: rgb(var(--v-theme-live));
  margin-left: 0;
}
.key.rest {
  background: rgba(var(--v-theme-on-surface), 0.28);
}
</style>
