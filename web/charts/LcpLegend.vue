<script setup lang="ts">
import { LCP_PHASE_NAMES } from './lcp-names.ts'
</script>

<template>
  <span class="legend"
    >Main content, typical run:
    <span v-for="(name, phase) in LCP_PHASE_NAMES" :key="phase"
      ><i :class="phase" aria-hidden="true" />{{ name }}</span
    ></span
  >
</template>

<style src="./lcp-phases.css" scoped></style>
<style scoped>
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 0 0.8em;
  white-space: normal;
}
.legend > span {
  white-space: nowrap;
}
i {
  display: inline-block;
  width: 1.1em;
  height: 0.6em;
  margin-right: 0.35em;
}
</style>
