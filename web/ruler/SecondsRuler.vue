<script setup lang="ts">
import { computed } from 'vue'
import type { Side } from '../../core/contracts/measuring.ts'
import { sideName } from '../../core/measuring/sides.ts'
import { seconds, sideLook } from '../format/show.ts'
import { LCP_THRESHOLDS, position, type RulerScale } from './scale.ts'

/** The seconds ruler: where the main content appears at the origin, live and in trial, and the floor below which no page can go. */
const props = defineProps<{
  scale: RulerScale
  origin?: number | null
  live?: number | null
  trial?: number | null
  /** Earlier versions and the like. */
  others?: readonly { side: Side; ms: number | null; name?: string }[]
  floorMs?: number | null
  /** Small form for rows of a table: no labels, same scale. */
  compact?: boolean
  /** Nothing has come yet, so nothing is said to be missing. */
  pending?: boolean
  /** What the figures are about, for readers who do not see the drawing. */
  about: string
}>()

interface Lane {
  readonly side: Side
  readonly ms: number
  readonly name?: string
}
const nameOf = ({ side, name }: Lane): string => name ?? sideName(side)
const lanes = computed(() =>
  [
    ...(['origin', 'live', 'trial'] as const).map((side) => ({ side: side as Side, ms: props[side] })),
    ...(props.others ?? []),
  ].filter((lane): lane is Lane => typeof lane.ms === 'number'),
)
const spoken = computed(() => {
  const parts = lanes.value.map((lane) => `${nameOf(lane)} ${seconds(lane.ms)}`)
  if (typeof props.floorMs === 'number') parts.push(`floor ${seconds(props.floorMs)}`)
  return `${props.about}: ${parts.length > 0 ? parts.join(', ') : 'not measured yet'}`
})
const thresholds = computed(() => LCP_THRESHOLDS.filter(({ atMs }) => atMs < props.scale.endMs))
const at = (ms: number): string => `${position(ms, props.scale)}%`
/** A label stands behind its mark, and never leaves the ruler. */
const labelAt = (ms: number): string => `min(${at(ms)}, calc(100% - 6.2rem))`
</script>

<template>
  <div class="ruler" :class="{ compact }" role="img" :aria-label="spoken">
    <div class="field">
      <i v-for="tick in scale.ticksMs" :key="tick" class="gridline" :style="{ left: at(tick) }" />
      <i v-for="t in thresholds" :key="t.atMs" class="threshold" :style="{ left: at(t.atMs) }">
        <b v-if="!compact">{{ t.name }}</b>
      </i>
      <i v-if="typeof floorMs === 'number'" class="floor" :style="{ width: at(floorMs) }" />
      <div v-for="lane in lanes" :key="nameOf(lane)" class="lane" :class="sideLook(lane.side)">
        <i class="stretch" :style="{ width: at(lane.ms) }" />
        <span v-if="!compact" class="label" :style="{ left: labelAt(lane.ms) }">
          {{ nameOf(lane) }} <b>{{ seconds(lane.ms) }}</b>
        </span>
      </div>
      <div v-if="lanes.length === 0 && !pending" class="lane empty">
        <span v-if="!compact" class="label">Not measured yet</span>
      </div>
    </div>
    <div v-if="!compact" class="axis" aria-hidden="true">
      <span v-for="tick in scale.ticksMs" :key="tick" :style="{ left: at(tick) }">{{ tick / 1000 }}</span>
      <em
        >seconds to the main content<template v-if="typeof floorMs === 'number'"
          >; floor {{ seconds(floorMs) }}</template
        ></em
      >
    </div>
  </div>
</template>

<style scoped>
.ruler {
  --lane: 22px;
  width: 100%;
}
.compact {
  --lane: 7px;
  min-width: 120px;
}
.field {
  position: relative;
  border-left: 2px solid rgb(var(--v-theme-secondary));
  border-bottom: 2px solid rgb(var(--v-theme-secondary));
  /* As high as with three lanes, so that nothing jumps when one more was measured. */
  min-height: calc(20px + 3 * var(--lane));
  padding-top: 18px;
}
.compact .field {
  min-height: calc(4px + var(--lane));
  padding: 2px 0;
  border-bottom-width: 1px;
}
.gridline,
.threshold {
  position: absolute;
  top: 18px;
  bottom: 0;
  border-left: 1px solid rgb(var(--v-theme-line));
}
.compact .gridline,
.compact .threshold {
  top: 0;
}
.threshold {
  top: 0;
  border-left: 1px dashed rgb(var(--v-theme-secondary));
}
.threshold b {
  position: absolute;
  left: 4px;
  top: -1px;
  font: 500 0.7rem/1.2 var(--zest-font);
  white-space: nowrap;
  color: rgb(var(--v-theme-secondary));
}
.floor {
  position: absolute;
  left: 0;
  top: 18px;
  bottom: 0;
  border-right: 2px dotted rgb(var(--v-theme-secondary));
  background: rgb(var(--v-theme-surface-variant), 0.65);
}
.compact .floor {
  top: 0;
}
.lane {
  position: relative;
  height: var(--lane);
}
.stretch {
  position: absolute;
  left: 0;
  top: 18%;
  height: 64%;
  border-right-width: 3px;
  border-right-style: solid;
}
.origin .stretch {
  border: 1.5px solid rgb(var(--v-theme-origin));
  border-left: 0;
  border-right-width: 3px;
}
.live .stretch {
  background: rgb(var(--v-theme-live));
  border-color: rgb(var(--v-theme-live));
}
.trial .stretch {
  border-color: rgb(var(--v-theme-trial));
  background: repeating-linear-gradient(-45deg, rgb(var(--v-theme-trial)) 0 3px, transparent 3px 6px);
  outline: 1px solid rgb(var(--v-theme-trial));
  outline-offset: -1px;
}
.other .stretch {
  border: 1.5px dashed rgb(var(--v-theme-secondary));
  border-left: 0;
  border-right: 3px double rgb(var(--v-theme-secondary));
}
.label {
  position: absolute;
  top: 2px;
  line-height: calc(var(--lane) - 4px);
  padding: 0 6px;
  margin-left: 3px;
  background: rgb(var(--v-theme-surface));
  white-space: nowrap;
  font-size: 0.84rem;
}
.label b {
  font-weight: 700;
}
.empty .label {
  color: rgb(var(--v-theme-secondary));
}
.axis {
  position: relative;
  height: 36px;
  font-size: 0.76rem;
  color: rgb(var(--v-theme-secondary));
}
.axis span {
  position: absolute;
  transform: translateX(-50%);
  padding-top: 3px;
}
.axis span::before {
  content: '';
  position: absolute;
  left: 50%;
  top: -1px;
  height: 5px;
  border-left: 1px solid rgb(var(--v-theme-secondary));
}
.axis span:first-child {
  transform: none;
}
.axis span:last-of-type {
  transform: translateX(-100%);
}
.axis em {
  position: absolute;
  top: 18px;
  font-style: normal;
}
/* Too narrow for labels behind the marks: they stand above them. */
@media (max-width: 760px) {
  .ruler:not(.compact) .field {
    min-height: 0;
  }
  .ruler:not(.compact) .lane {
    height: 36px;
  }
  .ruler:not(.compact) .stretch {
    top: 18px;
    height: 14px;
  }
  .label {
    left: 0 !important;
    margin-left: 0;
    top: 0;
    background: none;
  }
  .threshold b {
    left: auto;
    right: 4px;
  }
}
</style>
