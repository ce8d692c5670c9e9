<script setup lang="ts">
import { computed } from 'vue'
import type { Side } from '../../core/contracts/measuring.ts'
import { outlying } from '../../core/stats/spread.ts'
import { position, type RulerScale } from '../ruler/scale.ts'
import { seconds, sideLook } from '../format/show.ts'

/** Every run as a dot, so that the spread and the outliers are seen; what stands far from the rest has a ring. */
const props = defineProps<{ values: readonly number[]; scale: RulerScale; side: Side }>()
const far = computed(() => outlying(props.values))
const spoken = computed(() =>
  props.values.map((ms, index) => seconds(ms) + (far.value[index] ? ' (far from the rest)' : '')).join(', '),
)
</script>

<template>
  <div class="dots" role="img" :aria-label="`Runs: ${spoken}`">
    <i
      v-for="(ms, index) in values"
      :key="index"
      :class="[sideLook(side), { far: far[index] }]"
      :style="{ left: `${position(ms, scale)}%` }"
    />
  </div>
</template>

<style scoped>
.dots {
  position: relative;
  height: 10px;
  margin-left: 2px;
}
i {
  position: absolute;
  top: 2px;
  width: 7px;
  height: 7px;
  margin-left: -3.5px;
  border-radius: 50%;
  border: 1.5px solid rgb(var(--v-theme-origin));
}
i.live {
  border-color: rgb(var(--v-theme-live));
  background: rgb(var(--v-theme-live));
}
i.other {
  border-style: dashed;
}
i.far {
  outline: 1px solid rgb(var(--v-theme-secondary));
  outline-offset: 2px;
}
i.trial {
  border-color: rgb(var(--v-theme-trial-ink));
  background: rgb(var(--v-theme-trial));
}
</style>
