<script setup lang="ts">
/** Something to know before reading on; an error is in red, and everything else is not. */
defineProps<{ kind: 'info' | 'warning' | 'error'; text?: string }>()
</script>

<template>
  <div class="note" :class="kind">
    <p v-if="text">{{ text }}</p>
    <slot />
  </div>
</template>

<style scoped>
.note {
  padding: 0.55rem 1rem;
  border: 1px solid rgb(var(--v-theme-line));
  border-left: 4px solid rgb(var(--v-theme-secondary));
  background: rgb(var(--v-theme-surface));
}
.note.warning {
  border-left-color: rgb(var(--v-theme-trial));
}
.note.error {
  border-left-color: rgb(var(--v-theme-error));
}
.note :deep(p) {
  max-width: none;
  margin: 0.1rem 0;
}
</style>
