<script setup lang="ts">
import { computed } from 'vue'
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import type { ObjectsUsage } from '../../core/contracts/objects.ts'
import { bytes, when, whole } from '../format/show.ts'

/** What the object cache does: how often it has what is asked for, and how full it is. */
const props = defineProps<{ usage: ObjectsUsage }>()

const HEIGHT = 84
const STEP = 10
const MINUTE_MS = 60_000
const MOST_BARS = 72

const reads = computed(() => props.usage.counts.hits + props.usage.counts.misses)
const percent = (part: number, all: number): string => (all === 0 ? '–' : `${Math.round((100 * part) / all)}%`)
const perSecond = computed(() => {
  const last = props.usage.minutes.findLast(({ at }) => at < Date.now() - MINUTE_MS)
  return last === undefined ? null : last.commands / 60
})
const facts = computed(() => {
  const { counts, entries, bytes: used, boundBytes, missMs, outside } = props.usage
  return [
    ['Reads answered', `${percent(counts.hits, reads.value)} of ${whole(reads.value)}`],
    ['Entries', whole(entries)],
    [outside === null ? 'Memory' : 'Memory, in your own server', `${bytes(used)} of ${bytes(boundBytes)}`],
    ['Thrown out for lack of memory', `${whole(counts.evicted)} (${whole(counts.evictedUnread)} never read)`],
    ['Ran out', whole(counts.expired)],
    ...(counts.refusedValues > 0 ? [['Refused as too large', whole(counts.refusedValues)]] : []),
    ...(perSecond.value === null ? [] : [['Commands a second, last minute', perSecond.value.toFixed(1)]]),
    ...(missMs === null ? [] : [['A miss costs about', `${Math.round(missMs)} ms of your server (origin)`]]),
  ]
})
const saved = computed(() => {
  const { counts, missMs } = props.usage
  return missMs === null || missMs === 0 || counts.hits === 0
    ? ''
    : ` Hits have spared your server about ${roughlyInWords((counts.hits * missMs) / 1000)} of work.`
})
/** Minutes put together until they fit; empty ones count. */
const bars = computed(() => {
  const { minutes } = props.usage
  const [first, last] = [minutes[0]?.at ?? 0, minutes.at(-1)?.at ?? 0]
  const width = Math.max(1, Math.ceil(((last - first) / MINUTE_MS + 1) / MOST_BARS)) * MINUTE_MS
  const sums = new Map<number, { hits: number; misses: number }>()
  for (let at = first; at <= last; at += width) sums.set(at, { hits: 0, misses: 0 })
  for (const { at, hits, misses } of minutes) {
    const bar = sums.get(first + Math.floor((at - first) / width) * width)
    if (bar === undefined) continue
    bar.hits += hits
    bar.misses += misses
  }
  return [...sums].map(([at, sum]) => ({ at, ...sum }))
})
const most = computed(() => Math.max(1, ...bars.value.map(({ hits, misses }) => hits + misses)))
const tall = (count: number): number => (count / most.value) * HEIGHT
const clock = (at: number): string => new Date(at).toLocaleTimeString('en-GB', { hour: '2-digit', minute: '2-digit' })
</script>

<template>
  <h2>Use since {{ when(new Date(usage.since).toISOString()) }}</h2>
  <p>
    {{ percent(usage.counts.hits, reads) }} of {{ whole(reads) }} reads were answered from the object cache, and
    {{ bytes(usage.counts.hitBytes) }} with them.{{ saved }}
  </p>
  <div class="two">
    <table class="figures">
      <caption class="visually-hidden">
        Figures of the object cache
      </caption>
      <tbody>
        <tr v-for="[name, value] in facts" :key="name">
          <th scope="row">{{ name }}</th>
          <td class="num">{{ value }}</td>
        </tr>
      </tbody>
    </table>
    <figure>
      <svg
        role="img"
        :aria-label="`Reads over time: ${whole(usage.counts.hits)} hits and ${whole(usage.counts.misses)} misses, at most ${whole(most)} in one bar`"
        :viewBox="`0 0 ${Math.max(bars.length, 24) * STEP} ${HEIGHT + 2}`"
        preserveAspectRatio="none"
      >
        <g v-for="(bar, index) in bars" :key="bar.at">
          <title>{{ clock(bar.at) }}: {{ bar.hits }} hits, {{ bar.misses }} misses</title>
          <rect
            class="miss"
            :x="index * STEP + 1"
            :y="HEIGHT - tall(bar.hits + bar.misses)"
            :width="STEP - 2"
            :height="tall(bar.misses)"
          />
          <rect
            class="hit"
            :x="index * STEP + 1"
            :y="HEIGHT - tall(bar.hits)"
            :width="STEP - 2"
            :height="tall(bar.hits)"
          />
        </g>
      </svg>
      <figcaption class="small muted">
        Reads from {{ clock(bars[0]?.at ?? 0) }} to {{ clock((bars.at(-1)?.at ?? 0) + MINUTE_MS) }}:
        <span class="key hit" /> hits, <span class="key miss" /> misses
      </figcaption>
    </figure>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(300px, 2fr) minmax(0, 3fr);
  gap: 1.5rem;
  align-items: start;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
figure {
  margin: 0;
}
svg {
  width: 100%;
  height: 110px;
  border-bottom: 1px solid rgb(var(--v-theme-line));
}
rect.hit,
.key.hit {
  fill: rgb(var(--v-theme-live));
  background: rgb(var(--v-theme-live));
}
rect.miss,
.key.miss {
  fill: rgb(var(--v-theme-origin));
  background: rgb(var(--v-theme-origin));
}
.key {
  display: inline-block;
  width: 0.7rem;
  height: 0.7rem;
}
</style>
