<script setup lang="ts">
import { computed } from 'vue'
import { copyTimeline, type TimelineEvent, type TimelineStretch } from '../../core/cache/copy-timeline.ts'
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import type { PageLife } from '../../core/contracts/warm-up.ts'

/** The life of one stored page: when it is fresh, when visitors may still get it, and when it is loaded again. */
const props = defineProps<{ life: PageLife }>()

const WIDTH = 1000
const timeline = computed(() => copyTimeline(props.life))
const x = (atS: number): number => (WIDTH * atS) / timeline.value.untilS
const STRETCHES: Record<TimelineStretch['kind'], string> = {
  fresh: 'fresh: served from the store',
  stale: 'stale: served while a new copy is fetched',
  'stale-on-error': 'stale: served only while your server (origin) fails',
  gone: 'not used any more',
}
const EVENTS: Record<TimelineEvent['kind'], string> = {
  refresh: 'loaded again before it expires',
  round: 'next round loads it again',
  expiry: 'expires',
  unusable: 'the next visitor waits for your server (origin)',
}
/** What happens as one list in its order; what a warm-up prevents is left out. */
const events = computed(() =>
  timeline.value.events.filter(({ kind }) => kind !== 'unusable' || timeline.value.cold === 'after-expiry'),
)
/** Short spans behind a long one are told by themselves. */
const span = ({ kind, atS }: TimelineEvent): string =>
  kind === 'unusable' && atS > props.life.lifetimeS
    ? `${roughlyInWords(Math.round(atS - props.life.lifetimeS))} later`
    : roughlyInWords(Math.round(atS))
const sentence = computed(() => {
  const { cold, oldestSeenS } = timeline.value
  const age = `Visitors see pages that are at most ${roughlyInWords(Math.round(oldestSeenS))} old.`
  return cold === 'never'
    ? `${age} No visitor waits for a page that is loaded again in time.`
    : `${age} Then somebody waits for your server (origin): nothing loads the page before.`
})
const words = computed(
  () =>
    `${props.life.kind}: ${events.value.map(({ kind, atS }) => `${EVENTS[kind]}: ${span({ kind, atS })}`).join(', ')}. ${sentence.value}`,
)
</script>

<template>
  <figure class="life">
    <svg role="img" :aria-label="words" :viewBox="`0 0 ${WIDTH} 24`" preserveAspectRatio="none">
      <rect
        v-for="stretch in timeline.stretches"
        :key="stretch.kind"
        :class="stretch.kind"
        :x="x(stretch.fromS)"
        y="6"
        :width="Math.max(1, x(stretch.toS) - x(stretch.fromS))"
        height="12"
      >
        <title>{{ STRETCHES[stretch.kind] }}</title>
      </rect>
      <line
        v-for="event in events"
        :key="event.kind"
        :class="event.kind"
        :x1="x(event.atS)"
        :x2="x(event.atS)"
        y1="0"
        y2="24"
      />
    </svg>
    <figcaption>
      <span class="name">{{ life.kind }}</span>
      <span v-for="event in events" :key="event.kind" class="small">
        <b>{{ span(event) }}</b> {{ EVENTS[event.kind] }}
      </span>
      <span class="small muted">{{ sentence }}</span>
    </figcaption>
  </figure>
</template>

<style scoped>
.life {
  margin: 0.3rem 0 0.9rem;
}
svg {
  display: block;
  width: 100%;
  height: 24px;
}
.fresh {
  fill: rgb(var(--v-theme-live));
}
.stale {
  fill: rgba(var(--v-theme-live), 0.45);
}
.stale-on-error {
  fill: rgba(var(--v-theme-on-surface), 0.18);
}
.gone {
  fill: transparent;
}
line {
  stroke: rgb(var(--v-theme-on-surface));
  stroke-width: 2;
  vector-effect: non-scaling-stroke;
}
line.refresh,
line.round {
  stroke: rgb(var(--v-theme-trial));
  stroke-width: 4;
}
figcaption {
  display: flex;
  flex-wrap: wrap;
  gap: 0.1rem 1.2rem;
}
.name {
  font-weight: 600;
}
</style>
