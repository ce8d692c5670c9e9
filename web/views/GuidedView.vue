<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Site } from '../../core/contracts/sites.ts'
import ActionButton from '../ui/ActionButton.vue'
import { useSite } from '../stores/site.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { useTrialChecks } from '../stores/trial-checks.ts'
import GuidedForm from '../trial/GuidedForm.vue'
import GuidedProgress from '../trial/GuidedProgress.vue'
import { when } from '../format/show.ts'

const props = defineProps<{ site: Site }>()
const siteData = useSite()
const jobs = useJobs()
const problems = useProblems()
const trialChecks = useTrialChecks()
const working = ref(false)
const act = async (what: () => Promise<unknown>): Promise<void> => {
  working.value = true
  await problems.catching(what)
  working.value = false
}
const busy = computed(() => jobs.openOf(props.site.id) !== undefined)
const newest = computed(() => trialChecks.runs[0])
const earlier = computed(() => trialChecks.runs.slice(1))
</script>

<template>
  <p class="back">
    <router-link :to="{ name: 'remedies', params: { siteId: site.id } }">Remedies</router-link>
  </p>
  <h1>Guided run</h1>
  <p>
    Remedies are tried one after another: the page cache first, because the others depend on it, then in the order of
    their predicted gain. Each is checked and measured against the best result so far, then kept in the trial or undone.
    At the end the result is measured against live.
  </p>
  <template v-if="newest && newest.state !== 'done' && newest.state !== 'failed' && newest.state !== 'cancelled'">
    <div class="bar">
      <ActionButton
        v-if="newest.state === 'paused'"
        color="primary"
        variant="flat"
        :under-way="working"
        :disabled="busy"
        @click="act(() => trialChecks.resume(newest!.id))"
        >Continue</ActionButton
      >
      <ActionButton v-else :under-way="working" @click="act(() => trialChecks.pause(newest!.id))">Pause</ActionButton>
    </div>
    <GuidedProgress :site="site" :run="newest" />
  </template>
  <template v-else>
    <GuidedForm
      v-if="siteData.trial"
      :site="site"
      :trial="siteData.trial.setup"
      :disabled="busy"
      @start="(order) => problems.catching(() => trialChecks.guide(order))"
    />
    <template v-if="newest">
      <h2>Latest run</h2>
      <GuidedProgress :site="site" :run="newest" />
    </template>
  </template>
  <details v-for="run in earlier" :key="run.id">
    <summary>Run of {{ when(run.at) }}</summary>
    <GuidedProgress :site="site" :run="run" />
  </details>
</template>

<style scoped>
.back {
  margin: 0;
}
summary {
  padding: 0.4rem 0;
}
</style>
