<script setup lang="ts">
import { useProblems } from '../stores/problems.ts'
import NoteBox from './NoteBox.vue'

/** What went wrong and what to do, at the top of the screen until it is put away. */
const problems = useProblems()
</script>

<template>
  <NoteBox v-if="problems.current" class="problem" kind="error" role="alert">
    <div class="bar">
      <div class="words">
        <strong>{{ problems.current.title }}</strong>
        <p>{{ problems.current.detail }}</p>
      </div>
      <v-btn size="small" aria-label="Close" @click="problems.clear()">Close</v-btn>
    </div>
  </NoteBox>
</template>

<style scoped>
.problem {
  grid-row: 1;
  margin: 0.8rem 1.4rem 0;
}
.words {
  flex: 1 1 20rem;
}
strong {
  color: rgb(var(--v-theme-error));
}
</style>
