<script setup lang="ts">
import { computed } from 'vue'
import type { LcpPhases } from '../../core/contracts/measuring.ts'
import { position, type RulerScale } from '../ruler/scale.ts'
import { seconds } from '../format/show.ts'
import { LCP_PHASE_NAMES as NAMES } from './lcp-names.ts'

/** What the time to the main content consists of, on the ruler's scale. */
const props = defineProps<{ phases: LcpPhases; scale: RulerScale }>()
const parts = computed(() => {
  let from = 0
  return (Object.keys(NAMES) as (keyof LcpPhases)[]).map((key) => {
    const part = { key, name: NAMES[key], from, ms: props.phases[key] }
    from += part.ms
    return part
  })
})
const spoken = computed(() => parts.value.map(({ name, ms }) => `${seconds(ms)} ${name}`).join(', '))
</script>

<template>
  <div class="phases" role="img" :aria-label="`Main content: ${spoken}`" :title="spoken">
    <i
      v-for="part in parts"
      :key="part.key"
      :class="part.key"
      :style="{ left: `${position(part.from, scale)}%`, width: `${position(part.ms, scale)}%` }"
    />
  </div>
</template>

<style src="./lcp-phases.css" scoped></style>
<style scoped>
.phases {
  position: relative;
  height: 9px;
  margin: 2px 0 0 2px;
}
i {
  position: absolute;
  top: 0;
  height: 8px;
}
</style>
