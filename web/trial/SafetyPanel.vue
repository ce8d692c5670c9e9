<script setup lang="ts">
import { computed } from 'vue'
import type { Site } from '../../core/contracts/sites.ts'
import { useTrialChecks } from '../stores/trial-checks.ts'
import { howMany, when } from '../format/show.ts'
import { SAFETY_WORDS } from './result-words.ts'
import SafetyResults from './SafetyResults.vue'

/**
 * Whether the trial is whole: the check of the trial as it is now, and what the last culprit search has found.
 * `changed`: whether the trial is another than live; without that nothing was searched in it.
 */
defineProps<{ site: Site; disabled: boolean; changed: boolean }>()
const trialChecks = useTrialChecks()
const check = computed(() => trialChecks.currentCheck)
/** A trial that was found broken after a search is another than the one that was searched. */
const search = computed(() => {
  const [newest] = trialChecks.searches
  const over = newest?.state === 'done' && check.value?.result === 'broken'
  return over ? undefined : newest
})
</script>

<template>
  <section v-if="check && check.pages.length > 0" aria-labelledby="safety" class="safety">
    <h2 id="safety">
      Does it still look and work the same?
      <span class="muted small">{{ when(check.at) }}, by {{ check.by }}</span>
    </h2>
    <p v-if="check.result" role="status">
      <b :class="check.result">{{ SAFETY_WORDS[check.result] }}</b>
      the worst of {{ howMany(check.pages.length, 'comparison')
      }}<template v-if="check.state !== 'done'">, so far</template>.
    </p>
    <SafetyResults :check="check" :disabled="disabled" />
  </section>
  <section v-if="changed && search && search.state !== 'cancelled'" aria-labelledby="culprit" class="panel search">
    <h2 id="culprit">
      Cause search on {{ search.path === '/' ? 'the home page' : search.path }}
      <span class="muted small">{{ when(search.at) }}, {{ search.looks }} page loads</span>
    </h2>
    <p v-if="search.outcome" role="status">{{ search.outcome.sentence }}</p>
    <p v-else-if="search.error" class="broken">{{ search.error }}</p>
    <p v-else role="status">
      Under way: one part after another is switched off until the page
      {{ search.order.why === 'slower' ? 'is no slower than live' : 'works' }}.
    </p>
    <p v-if="search.outcome?.reason" class="muted small">Cause: {{ search.outcome.reason }}</p>
    <ul v-if="search.found.length > 0">
      <li v-for="{ sentence } in search.found" :key="sentence">
        Excluded in the trial: <code>{{ sentence }}</code>
      </li>
    </ul>
  </section>
</template>

<style scoped>
.safety {
  margin-top: 1rem;
}
.search {
  margin-top: 0.8rem;
}
.search h2 {
  margin-top: 0;
}
.broken {
  color: rgb(var(--v-theme-error));
}
</style>
