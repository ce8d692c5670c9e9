<script setup lang="ts">
/** A button whose action takes a moment; what turns meanwhile has a name (WCAG 2.2, 4.1.2). */
defineProps<{ underWay: boolean }>()
</script>

<template>
  <v-btn :loading="underWay">
    <template #loader><v-progress-circular indeterminate size="22" width="2" aria-label="Under way" /></template>
    <slot />
  </v-btn>
</template>
