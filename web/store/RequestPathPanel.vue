<script setup lang="ts">
import ActionButton from '../ui/ActionButton.vue'
import { ref, shallowRef, watch } from 'vue'
import { useRouter } from 'vue-router'
import type { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { RequestPath } from '../../core/contracts/store.ts'
import { callApi } from '../api/client.ts'
import { useSite } from '../stores/site.ts'
import { useProblems } from '../stores/problems.ts'

/** Give an address: Zest Lamp asks for it and explains, step by step, what happened and why. */
const props = defineProps<{ site: Site; channel: 'live' | 'trial'; address: string }>()
const siteData = useSite()
const problems = useProblems()
const router = useRouter()

const address = ref(props.address)
const cookie = ref('')
const result = shallowRef<RequestPath | null>(null)
const asking = ref(false)

const ask = async (): Promise<void> => {
  asking.value = true
  result.value = null
  const order = { address: address.value, channel: props.channel, cookie: cookie.value }
  const found = await problems.catching(() =>
    callApi('POST', `/sites/${props.site.id}/request-paths`, RequestPath, order),
  )
  asking.value = false
  if (found !== undefined) result.value = found
}
watch(
  () => [props.address, props.channel],
  () => {
    address.value = props.address
    void ask()
  },
  { immediate: true },
)

/** The setting that would change the outcome, written into the trial; nothing changes for visitors. */
const apply = async (): Promise<void> => {
  const suggestion = result.value?.suggestion
  const trial = siteData.trial
  if (!suggestion || trial === null) return
  const setup: Setup = structuredClone(trial.setup)
  const cache = setup.remedies.pageCache
  if (suggestion.setting === 'pageCache') cache.enabled = true
  else if (suggestion.setting === 'harmlessCookies')
    cache.harmlessCookies = [...cache.harmlessCookies, suggestion.value]
  else if (suggestion.setting === 'passPaths')
    cache.passPaths = cache.passPaths.filter((path) => path !== suggestion.value)
  else if (suggestion.setting === 'kinds')
    // First, so that it counts before a wider kind.
    cache.kinds = [
      {
        name: suggestion.value,
        paths: [suggestion.value],
        lifetimeS: null,
        overrule: true,
        ignoredCookies: [],
        sessionCookies: [],
      },
      ...cache.kinds.filter(({ name }) => name !== suggestion.value),
    ]
  else cache.lifetimeS = Number(suggestion.value)
  const saved = await problems.catching(async () => {
    await siteData.saveTrial(setup)
    return true
  })
  if (saved === true) await router.push({ name: 'remedies', params: { siteId: props.site.id } })
}
</script>

<template>
  <form class="bar ask" @submit.prevent="ask">
    <v-text-field v-model="address" label="Address" placeholder="/notices" class="address" />
    <v-text-field v-model="cookie" label="Cookies, if any" placeholder="consent=yes" class="cookie" />
    <ActionButton type="submit" color="primary" variant="flat" :under-way="asking">Explain</ActionButton>
  </form>
  <p class="muted small">
    A real request to {{ channel === 'live' ? site.liveHost : site.trialHost }}. Without cookies it is a signed-out
    visitor with an empty browser.
  </p>
  <template v-if="result">
    <p role="status">
      Status {{ result.status }} after <b>{{ result.tookMs.toFixed(0) }} ms</b>.
    </p>
    <ol class="steps">
      <li v-for="step in result.steps" :key="step.title">
        <strong>{{ step.title }}</strong>
        <div>
          {{ step.sentence }}
          <span v-if="step.section" class="muted small">{{ step.section }}</span>
          <code v-for="line in step.evidence" :key="line" class="muted">{{ line }}</code>
        </div>
      </li>
    </ol>
    <p v-if="result.suggestion" class="panel suggestion">
      {{ result.suggestion.sentence }}
      <v-btn size="small" @click="apply">Change in the trial</v-btn>
    </p>
    <details>
      <summary>All response fields</summary>
      <pre>{{ result.fields.map(([name, value]) => `${name}: ${value}`).join('\n') }}</pre>
    </details>
  </template>
</template>

<style scoped>
.ask {
  align-items: start;
}
.ask .zest-button {
  height: 40px;
}
.address {
  max-width: 420px;
}
.cookie {
  max-width: 320px;
}
.steps {
  list-style: none;
  padding: 0;
  background: rgb(var(--v-theme-surface));
  border: 1px solid rgb(var(--v-theme-line));
}
.steps li {
  display: grid;
  grid-template-columns: 120px minmax(0, 1fr);
  gap: 1rem;
  padding: 0.4rem 0.8rem;
  border-bottom: 1px solid rgb(var(--v-theme-line));
}
.steps li:last-child {
  border-bottom: 0;
}
code {
  display: block;
}
.suggestion {
  display: flex;
  gap: 1rem;
  align-items: center;
  justify-content: space-between;
  max-width: none;
  margin-top: 0.8rem;
}
details {
  margin-top: 0.8rem;
}
pre {
  font-size: 0.82rem;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
