<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { z } from 'zod'
import { CdnFigures, RentedCdnState, type RentedCdnDraft } from '../../core/contracts/rented-cdn.ts'
import { Region, RegionPlan } from '../../core/contracts/regions.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { bytes, howMany, when, whole } from '../format/show.ts'
import { useProblems } from '../stores/problems.ts'
import { useSite } from '../stores/site.ts'
import ActionButton from '../ui/ActionButton.vue'
import NoteBox from '../ui/NoteBox.vue'
import CdnFindings from './CdnFindings.vue'
import RentedCdnForm from './RentedCdnForm.vue'

/** A CDN that the owner rents: set up, compared with what was set, purged along, and tried in the trial. */
const props = defineProps<{ site: Site }>()
const problems = useProblems()
const siteData = useSite()

const state = shallowRef<RentedCdnState | null>(null)
const figures = shallowRef<CdnFigures | null>(null)
const working = ref<'' | 'save' | 'create' | 'check' | 'figures' | 'prices' | 'trial'>('')
const done = ref('')
const path = computed(() => `/sites/${props.site.id}/rented-cdn`)
const cdn = computed(() => state.value?.cdn ?? null)

const load = async (): Promise<void> => {
  const came = await problems.catching(() => callApi('GET', path.value, RentedCdnState))
  if (came !== undefined) state.value = came
}
watch(path, load, { immediate: true })
/** One act at a time; what it comes to is shown. */
const act = async (what: typeof working.value, work: () => Promise<void>): Promise<void> => {
  working.value = what
  done.value = ''
  await problems.catching(work)
  working.value = ''
}
const save = (draft: RentedCdnDraft): Promise<void> =>
  act('save', async () => {
    state.value = await callApi('PUT', path.value, RentedCdnState, draft)
    done.value = 'Saved.'
  })
const create = (): Promise<void> =>
  act('create', async () => {
    state.value = await callApi('POST', `${path.value}/distributions`, RentedCdnState)
  })
const check = (): Promise<void> =>
  act('check', async () => {
    state.value = await callApi('POST', `${path.value}/checks`, RentedCdnState)
  })
const loadFigures = (): Promise<void> =>
  act('figures', async () => {
    figures.value = await callApi('GET', `${path.value}/figures`, CdnFigures)
  })
const takePrices = (): Promise<void> =>
  act('prices', async () => {
    const regions = await callApi('GET', `${path.value}/regions`, z.array(Region))
    const plan = await callApi('GET', `/sites/${props.site.id}/region-plan`, RegionPlan)
    await callApi('PUT', `/sites/${props.site.id}/region-plan`, RegionPlan, { ...plan, regions })
    done.value = `${howMany(regions.length, 'region')} with prices are now under “Choose regions”.`
  })
const inTrial = computed(() => siteData.trial?.setup.remedies.filesCdn)
const isTried = computed(() => inTrial.value?.enabled === true && inTrial.value.address === cdn.value?.hostUrl)
const tryFiles = (): Promise<void> =>
  act('trial', async () => {
    const { trial } = siteData
    const address = cdn.value?.hostUrl
    if (trial === null || address === null || address === undefined) return
    const filesCdn = { ...trial.setup.remedies.filesCdn, enabled: true, address }
    await siteData.saveTrial({ ...trial.setup, remedies: { ...trial.setup.remedies, filesCdn } })
  })
const forget = (): Promise<void> =>
  act('save', async () => {
    await callApi('DELETE', path.value)
    figures.value = null
    await load()
  })
const hitShare = computed(() =>
  figures.value === null || figures.value.requests === 0
    ? null
    : Math.round((100 * figures.value.hits) / figures.value.requests),
)
</script>

<template>
  <i v-if="state === null" class="bone tall" role="status" aria-label="Loading" />
  <template v-else>
    <p class="lead">
      A CDN you rent keeps copies of your files, or of the whole site, near your visitors. Zest Lamp sets it up where
      the provider has an API, tells it of purges, and compares what you set with what really comes through it.
    </p>
    <h2>1. Enter the CDN</h2>
    <RentedCdnForm
      :key="`${cdn?.provider} ${cdn?.apiAddress} ${cdn?.hostUrl}`"
      :cdn="cdn"
      :demo="state.demo"
      :saving="working === 'save'"
      @save="save"
    />
    <template v-if="cdn">
      <h2>2. Set it up at the provider</h2>
      <template v-if="cdn.provider === 'any'">
        <p>In your account at the provider, enter:</p>
        <ul>
          <li>
            Origin: <code>{{ state.originUrl }}</code>, which is live.
          </li>
          <li>Host header to the origin: the same, not the CDN’s own host name.</li>
          <li>Follow the origin’s Cache-Control, and include the query in the cache key.</li>
          <li>Pass on Accept-Encoding and keep Vary, Cache-Status and Access-Control-Allow-Origin.</li>
          <li>Pass requests with cookies on to the origin.</li>
        </ul>
      </template>
      <template v-else>
        <p v-if="cdn.state === 'ready'">
          The provider serves your site at <code>{{ cdn.hostUrl }}</code> and fetches from
          <code>{{ state.originUrl }}</code>.
        </p>
        <p v-else-if="cdn.state === 'entered'">
          The provider will fetch from <code>{{ state.originUrl }}</code>. Nothing changes for your visitors yet.
        </p>
        <NoteBox v-else kind="warning">
          <p>
            {{ cdn.problem ?? 'The provider was asked, but its answer did not arrive.' }} Visitors are served as before.
            You can ask again: nothing is set up twice.
          </p>
        </NoteBox>
        <div class="bar">
          <ActionButton
            color="primary"
            :variant="cdn.state === 'ready' ? 'outlined' : 'flat'"
            :under-way="working === 'create'"
            @click="create"
            >{{ cdn.state === 'ready' ? 'Ask the provider again' : 'Set it up' }}</ActionButton
          >
          <ActionButton :under-way="working === 'prices'" @click="takePrices">Use its prices</ActionButton>
        </div>
      </template>
      <template v-if="cdn.hostUrl">
        <h2>3. Compare what you set with what arrives</h2>
        <div class="bar">
          <ActionButton
            color="primary"
            :variant="cdn.check ? 'outlined' : 'flat'"
            :under-way="working === 'check'"
            @click="check"
            >Compare the responses</ActionButton
          >
          <span v-if="cdn.check" class="muted small">Last compared {{ when(cdn.check.at) }}</span>
        </div>
        <CdnFindings v-if="cdn.check" :findings="cdn.check.findings" />
        <h2>4. {{ cdn.scope === 'files' ? 'Try it in the trial' : 'Send visitors there' }}</h2>
        <template v-if="cdn.scope === 'files'">
          <p v-if="isTried">
            “Files from a CDN” is on in the trial. Retest it under Remedies, from a visitor who is far away, before you
            keep it.
          </p>
          <div v-else class="bar">
            <ActionButton color="primary" variant="flat" :under-way="working === 'trial'" @click="tryFiles"
              >Switch it on in the trial</ActionButton
            >
            <span class="muted small">Nothing changes for visitors until you keep it.</span>
          </div>
        </template>
        <p v-else>
          At your DNS provider, point the names of your site to <code>{{ cdn.hostUrl }}</code> (a CNAME record, or what
          the provider tells you for the bare domain). “Going live” lists the records and leads back.
        </p>
        <template v-if="cdn.provider !== 'any'">
          <h2>This month</h2>
          <div class="bar">
            <ActionButton :under-way="working === 'figures'" @click="loadFigures">Ask the provider</ActionButton>
            <span v-if="figures" role="status">
              {{ whole(figures.requests) }} requests, {{ hitShare === null ? 'none' : `${hitShare}%` }} answered by the
              CDN, {{ bytes(figures.bytes) }} sent, cost so far {{ figures.cost.toFixed(2) }}.
            </span>
          </div>
          <p v-if="cdn.purge" class="small" :class="{ muted: cdn.purge.problem === null }">
            {{
              cdn.purge.problem === null
                ? `The provider was last told of a purge ${when(cdn.purge.at)}.`
                : `A purge did not reach the provider (${when(cdn.purge.at)}): ${cdn.purge.problem} The CDN may still send old copies.`
            }}
          </p>
        </template>
        <p v-else class="small muted">
          Without an API the CDN is not told of purges: its copies stay until their lifetime ends. Fingerprinted file
          names make that harmless for files.
        </p>
      </template>
      <div class="bar end">
        <v-btn size="small" @click="forget">Forget this CDN</v-btn>
        <span class="muted small">At the provider it stays until you remove it there.</span>
      </div>
    </template>
    <p role="status" class="small">{{ done }}</p>
  </template>
</template>

<style scoped>
.lead {
  max-width: 48rem;
}
ul {
  padding-left: 1.2rem;
  margin: 0.3rem 0 0.6rem;
}
.end {
  margin-top: 1.4rem;
}
</style>
