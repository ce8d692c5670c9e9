<script setup lang="ts">
import type { Side } from '../../core/contracts/measuring.ts'
import { position, type RulerScale } from '../ruler/scale.ts'
import { seconds } from '../words/show.ts'

/** Every run as a dot, so that the spread and the outliers are seen. */
defineProps<{ values: readonly number[]; scale: RulerScale; side: Side }>()
</script>

<template>
  <div class="dots" role="img" :aria-label="`Runs: ${values.map((ms) => seconds(ms)).join(', ')}`">
    <i
      v-for="(ms, index) in values"
      :key="index"
      :class="side"
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
i.trial {
  border-color: rgb(var(--v-theme-trial-ink));
  background: rgb(var(--v-theme-trial));
}
</style>
