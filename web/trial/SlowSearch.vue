<script setup lang="ts">
import { MOST_LOADS } from '../../core/contracts/culprit.ts'
import type { PageResult } from '../../core/contracts/measurements.ts'

/** Below a verdict that says slower: the search for which part of the trial it is. */
defineProps<{ result: Pick<PageResult, 'verdict'>; disabled: boolean }>()
defineEmits<{ search: [] }>()
</script>

<template>
  <p v-if="result.verdict?.kind === 'slower'" class="bar">
    <v-btn size="small" :disabled="disabled" @click="$emit('search')">Find what slows it</v-btn>
    <span class="muted small"
      >Leaves out one part after another and measures each time: at most {{ MOST_LOADS.slower }} page loads. What it
      finds is left out of the trial, with the reason.</span
    >
  </p>
</template>
