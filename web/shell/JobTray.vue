<script setup lang="ts">
import { computed } from 'vue'
import type { Job } from '../../core/contracts/jobs.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { timeLeft, when } from '../format/show.ts'

/** Work under way with its real progress, time left and a way to cancel; the last thing that ended otherwise. */
const jobs = useJobs()
const problems = useProblems()

const shown = computed<readonly Job[]>(() => (jobs.open.length > 0 ? jobs.open : jobs.jobs.slice(0, 1)))
const share = ({ done, total }: Job): number => (total === 0 ? 0 : (100 * done) / total)
const ENDED: Partial<Record<Job['state'], string>> = {
  done: 'done',
  failed: 'failed',
  cancelled: 'cancelled',
}
</script>

<template>
  <footer v-if="shown.length > 0" class="tray" aria-label="Jobs">
    <div v-for="job in shown" :key="job.id" class="job" :data-state="job.state">
      <strong>{{ job.title }}</strong>
      <template v-if="ENDED[job.state]">
        <span :class="{ failed: job.state === 'failed' }"
          >{{ ENDED[job.state] }} {{ when(job.finishedAt ?? job.createdAt) }}</span
        >
        <span v-if="job.error" class="failed">{{ job.error }}</span>
      </template>
      <template v-else>
        <v-progress-linear
          class="progress"
          color="primary"
          height="8"
          :model-value="share(job)"
          :aria-label="`${job.title}: ${job.done} of ${job.total} steps`"
        />
        <span class="count">{{ job.done }} of {{ job.total }}</span>
        <span class="now">{{ job.now }}</span>
        <span class="muted">{{ job.state === 'running' ? timeLeft(job.msLeft) : 'waiting' }}</span>
        <v-btn v-if="job.skip" size="small" @click="problems.catching(() => jobs.skip(job.id))">{{ job.skip }}</v-btn>
        <v-btn size="small" @click="problems.catching(() => jobs.cancel(job.id))">Cancel</v-btn>
      </template>
    </div>
  </footer>
</template>

<style scoped>
.tray {
  border-top: 1px solid rgb(var(--v-theme-line));
  background: rgb(var(--v-theme-surface));
  padding: 0.35rem 1.4rem;
  font-size: 0.88rem;
}
.job {
  display: flex;
  gap: 0.8rem;
  align-items: center;
  min-height: 32px;
  flex-wrap: wrap;
}
.progress {
  width: 160px;
  flex: none;
}
.count {
  min-width: 4.5em;
}
.now {
  flex: 1;
  min-width: 12em;
}
.failed {
  color: rgb(var(--v-theme-error));
}
@media (max-width: 760px) {
  .tray {
    padding: 0.35rem 0.9rem;
  }
  .job {
    gap: 0.3rem 0.7rem;
  }
}
</style>
