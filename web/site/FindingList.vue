<script setup lang="ts">
import { mdiAlertOctagonOutline, mdiCheck, mdiInformationOutline } from '@mdi/js'
import type { Finding } from '../../core/contracts/sites.ts'

/** What a check found, each with the lines it rests on. */
defineProps<{ findings: readonly Finding[] }>()
const ICONS = { good: mdiCheck, note: mdiInformationOutline, stop: mdiAlertOctagonOutline }
const NAMES = { good: 'In order', note: 'Worth knowing', stop: 'Stops' }
</script>

<template>
  <ul class="findings">
    <li v-for="finding in findings" :key="finding.code" :class="finding.level">
      <v-icon :icon="ICONS[finding.level]" size="19" :aria-label="NAMES[finding.level]" role="img" />
      <div>
        {{ finding.sentence }}
        <code v-for="line in finding.evidence" :key="line" class="muted">{{ line }}</code>
      </div>
    </li>
  </ul>
</template>

<style scoped>
.findings {
  list-style: none;
  padding: 0;
  display: grid;
  gap: 0.4rem;
}
li {
  display: grid;
  grid-template-columns: 22px minmax(0, 1fr);
  gap: 0.5rem;
}
.stop {
  color: rgb(var(--v-theme-error));
}
code {
  display: block;
}
</style>
