<script setup lang="ts">
import { onMounted, ref, shallowRef, watch } from 'vue'
import { CookieReport, type CookieFinding } from '../../core/contracts/cookies.ts'
import { Job } from '../../core/contracts/jobs.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useSite } from '../stores/site.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'

/** Which cookies matter: found by asking for pages with each of them and without. */
const props = defineProps<{ site: Site }>()
const siteData = useSite()
const jobs = useJobs()
const problems = useProblems()

const report = shallowRef<CookieReport>({ findings: [] })
const cookie = ref('')
const load = async (): Promise<void> => {
  const found = await problems.catching(() => callApi('GET', `/sites/${props.site.id}/cookies`, CookieReport))
  if (found !== undefined) report.value = found
}
onMounted(load)
// A search that ends has something new to show.
watch(
  () => jobs.jobs.find((job) => job.kind === 'cookie-search' && job.siteId === props.site.id)?.state,
  (state) => {
    if (state === 'done') void load()
  },
)
const start = async (): Promise<void> => {
  await problems.catching(() =>
    callApi('POST', `/sites/${props.site.id}/cookies/searches`, Job, { cookie: cookie.value.trim() }),
  )
  cookie.value = ''
}
const TREATED: Record<CookieFinding['treated'], string> = {
  visitor: 'as personal',
  author: 'as a comment author’s',
  harmless: 'as harmless',
  unknown: 'as personal, because nothing is known about it',
}
/** Put a cookie on the list it belongs on, in the trial. */
const list = async (name: string, where: 'harmlessCookies' | 'visitorCookies'): Promise<void> => {
  if (siteData.trial === null) return
  const setup = structuredClone(siteData.trial.setup) as Setup
  const cache = setup.remedies.pageCache
  cache[where] = [...new Set([...cache[where], name])]
  const done = await problems.catching(async () => {
    await siteData.saveTrial(setup)
    return true
  })
  if (done === true)
    report.value = {
      findings: report.value.findings.map((one) =>
        one.name === name ? { ...one, treated: where === 'harmlessCookies' ? 'harmless' : 'visitor' } : one,
      ),
    }
}
</script>

<template>
  <p class="muted">
    A cookie that is not known to be harmless means its visitor always gets pages from your server (origin). Each cookie
    is tried by itself on three pages: does anything change?
  </p>
  <form class="bar" @submit.prevent="start">
    <v-text-field
      v-model="cookie"
      class="field"
      label="Cookies of a signed-in browser (paste its Cookie header), optional"
      hint="Used once and not saved. If empty, the cookies of a signed-out visitor are tried."
      persistent-hint
      autocomplete="off"
    />
    <v-btn type="submit" color="primary" variant="flat">Try the cookies</v-btn>
  </form>
  <div v-if="report.findings.length > 0" class="scroll">
    <table class="figures">
      <thead>
        <tr>
          <th scope="col">Cookie</th>
          <th scope="col">Differences</th>
          <th scope="col">In the trial</th>
          <th scope="col"><span class="visually-hidden">Change</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in report.findings" :key="one.name">
          <th scope="row">
            <code>{{ one.name }}</code>
          </th>
          <td>{{ one.sentence }}</td>
          <td>{{ TREATED[one.treated] }}</td>
          <td class="actions">
            <v-btn
              v-if="one.effect === 'none' && one.treated === 'unknown'"
              size="small"
              @click="list(one.name, 'harmlessCookies')"
              >Treat as harmless</v-btn
            >
            <v-btn
              v-else-if="one.effect !== 'none' && one.treated === 'harmless'"
              size="small"
              @click="list(one.name, 'visitorCookies')"
              >Treat as personal</v-btn
            >
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <p v-else class="muted small">Nothing has been tried yet, or the site sets no cookies on these pages.</p>
</template>

<style scoped>
th code {
  white-space: nowrap;
}
form {
  align-items: flex-start;
  margin-bottom: 0.8rem;
}
.field {
  flex: 1 1 24rem;
  max-width: 40rem;
}
</style>
