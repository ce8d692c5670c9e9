<script setup lang="ts">
import { MOST_LOADS } from '../../core/contracts/culprit.ts'
import type { PageResult } from '../../core/contracts/measurements.ts'

/** Below a verdict that says slower: the search for which part of the trial it is. */
defineProps<{ result: Pick<PageResult, 'verdict'>; disabled: boolean }>()
defineEmits<{ search: [] }>()
</script>

<template>
  <p v-if="result.verdict?.kind === 'slower'" class="bar">
    <v-btn size="small" :disabled="disabled" @click="$emit('search')">Find what slows it down</v-btn>
    <span class="muted small"
      >Switches off one part after another and measures each time, with at most {{ MOST_LOADS.slower }} page loads. What
      it finds is excluded in the trial, with the reason.</span
    >
  </p>
</template>
