<script setup lang="ts">
import { useProblems } from '../stores/problems.ts'

/** What went wrong and what to do, at the top of the screen until it is put away. */
const problems = useProblems()
</script>

<template>
  <v-alert
    v-if="problems.current"
    class="problem"
    type="error"
    closable
    role="alert"
    :title="problems.current.title"
    :text="problems.current.detail"
    @click:close="problems.clear()"
  />
</template>

<style scoped>
.problem {
  grid-row: 1;
  margin: 0.8rem 1.4rem 0;
}
</style>
