<script setup lang="ts">
import { computed } from 'vue'
import type { Run } from '../../core/contracts/measurements.ts'
import { observationsOf } from '../../core/audit/observations.ts'

/** What a load with all instruments on showed of the page, each with the lines it rests on. */
const props = defineProps<{ run: Run }>()
const seen = computed(() =>
  props.run.details === null || props.run.metrics === null
    ? []
    : observationsOf(props.run.details, props.run.metrics, props.run.visitor.pixelRatio),
)
const FEW = 5
</script>

<template>
  <p v-if="run.details === null" class="muted">
    This load was only timed. The last load of each version records details: unused styles and scripts, picture sizes,
    fonts, errors.
  </p>
  <div v-for="one in seen" :key="one.title" class="seen">
    <h3>{{ one.title }}</h3>
    <p>{{ one.sentence }}</p>
    <details v-if="one.rows.length > 0" :open="one.rows.length <= FEW">
      <summary>{{ one.rows.length === 1 ? 'The row' : `All ${one.rows.length} rows` }}</summary>
      <div class="scroll">
        <table class="figures">
          <thead>
            <tr>
              <th v-for="column in one.columns" :key="column" scope="col">{{ column }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(row, index) in one.rows" :key="index">
              <td v-for="(cell, at) in row" :key="at">{{ cell }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </details>
  </div>
</template>

<style scoped>
.seen {
  margin-bottom: 0.9rem;
}
.seen p {
  margin: 0.1rem 0 0.2rem;
}
summary {
  font-size: 0.86rem;
  color: rgb(var(--v-theme-primary));
}
td {
  font-size: 0.86rem;
  overflow-wrap: anywhere;
}
</style>
