<script setup lang="ts">
import type { Side } from '../../core/contracts/measuring.ts'
import { sideName } from '../../core/measuring/sides.ts'
import { sideLook } from '../format/show.ts'

/** Name of a side with its identity: outline, solid or hatched. */
defineProps<{ side: Side }>()
</script>

<template>
  <span class="side"><i :class="sideLook(side)" aria-hidden="true" />{{ sideName(side) }}</span>
</template>

<style scoped>
.side {
  display: inline-flex;
  align-items: center;
  gap: 0.4em;
  white-space: nowrap;
}
i {
  width: 0.85em;
  height: 0.85em;
  border: 2px solid rgb(var(--v-theme-origin));
}
i.live {
  border-color: rgb(var(--v-theme-live));
  background: rgb(var(--v-theme-live));
}
i.trial {
  border-color: rgb(var(--v-theme-trial));
  background: repeating-linear-gradient(-45deg, rgb(var(--v-theme-trial)) 0 2px, transparent 2px 4px);
}
i.other {
  border: 2px dashed rgb(var(--v-theme-secondary));
}
</style>
