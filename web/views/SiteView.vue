<script setup lang="ts">
import ActionButton from '../ui/ActionButton.vue'
import { computed, defineAsyncComponent, ref } from 'vue'
import { useRouter } from 'vue-router'
import { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import CertificatePanel from '../site/CertificatePanel.vue'
import ContentChangesPanel from '../site/ContentChangesPanel.vue'
import CookiePanel from '../site/CookiePanel.vue'
import HostsPanel from '../site/HostsPanel.vue'
import HostCachePanel from '../site/HostCachePanel.vue'
import ScheduledWorkPanel from '../site/ScheduledWorkPanel.vue'
import FindingList from '../site/FindingList.vue'
import TrialKeyPanel from '../site/TrialKeyPanel.vue'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { useSites } from '../stores/sites.ts'
import { trialLink } from '../format/show.ts'
import ModalDialog from '../ui/ModalDialog.vue'
import WhenSeen from '../ui/WhenSeen.vue'

// Not needed for the first view.
const AutomaticCertificatePanel = defineAsyncComponent(() => import('../site/AutomaticCertificatePanel.vue'))
const ServerRulesPanel = defineAsyncComponent(() => import('../server-rules/ServerRulesPanel.vue'))

const props = defineProps<{ site: Site }>()
const sites = useSites()
const jobs = useJobs()
const problems = useProblems()
const router = useRouter()
const removing = ref(false)
const looking = ref(false)
/** Where the sitemap is, where the owner has to say so. */
const sitemap = ref(props.site.check.sitemap ?? '')

const checkSiteAgain = async (): Promise<void> => {
  looking.value = true
  const named = sitemap.value.trim()
  await problems.catching(() =>
    callApi('POST', `/sites/${props.site.id}/checks`, Site, { sitemap: named === '' ? null : named }),
  )
  await sites.load()
  looking.value = false
}

const remove = async (): Promise<void> => {
  const done = await problems.catching(async () => {
    await sites.remove(props.site.id)
    return true
  })
  removing.value = false
  if (done === true) await router.push({ name: 'sites' })
}

/** By which name the origin is asked, for a sentence. */
const askedAs = computed(() => {
  if (props.site.publicAddress !== null) return `as ${props.site.publicAddress}`
  return props.site.hostHeader === 'origin' ? 'by its own host name' : 'by the host name the visitor uses'
})
</script>

<template>
  <h1>{{ site.name }}</h1>
  <p>
    Your server (origin) is {{ site.address }}, asked {{ askedAs }}. Live at
    <a :href="site.liveUrl" target="_blank" rel="noopener">{{ site.liveUrl }}</a>, trial at
    <a :href="trialLink(site)" target="_blank" rel="noopener">{{ site.trialUrl }}</a>.
  </p>
  <h2>What we found</h2>
  <FindingList :findings="site.check.findings" />

  <form class="bar again" @submit.prevent="checkSiteAgain">
    <v-text-field
      v-model="sitemap"
      class="sitemap"
      label="Address of the sitemap"
      placeholder="/sitemap.xml"
      hint="If empty: the address in robots.txt, or /sitemap.xml."
      persistent-hint
    />
    <ActionButton size="small" :under-way="looking" @click="checkSiteAgain">Check again</ActionButton>
  </form>

  <h2>Trial access</h2>
  <TrialKeyPanel :site="site" :disabled="jobs.openOf(site.id) !== undefined" />

  <h2>Cookies</h2>
  <CookiePanel :site="site" />

  <h2>Other hosts</h2>
  <HostsPanel :site="site" />

  <h2>HTTPS</h2>
  <CertificatePanel :site="site" />
  <WhenSeen><AutomaticCertificatePanel :site="site" /></WhenSeen>

  <h2>Going live</h2>
  <p>
    What the DNS has to say, the proof from outside and the way back are under
    <RouterLink :to="{ name: 'edges', params: { siteId: site.id }, query: { part: 'going-live' } }"
      >Edges, Going live</RouterLink
    >.
  </p>

  <h2 id="server-rules">Server rules</h2>
  <WhenSeen><ServerRulesPanel :site="site" /></WhenSeen>

  <h2 id="changes">Content changes</h2>
  <ContentChangesPanel :site="site" />

  <h2>Scheduled work</h2>
  <ScheduledWorkPanel :site="site" />

  <h2 id="host-cache">Cache at your host</h2>
  <HostCachePanel :site="site" />

  <h2>Remove the site</h2>
  <v-btn color="error" @click="removing = true">Remove {{ site.name }} …</v-btn>
  <ModalDialog v-model="removing" :width="520" label="Remove the site">
    <div class="panel">
      <h2>Remove {{ site.name }}?</h2>
      <p>
        Its setups, measurements and ledger will be deleted, and {{ site.liveHost }} will no longer be served here. This
        cannot be undone.
      </p>
      <div class="bar end">
        <v-btn @click="removing = false">Cancel</v-btn>
        <v-btn color="error" variant="flat" @click="remove">Remove</v-btn>
      </div>
    </div>
  </ModalDialog>
</template>

<style scoped>
.again {
  align-items: flex-start;
  margin-top: 0.8rem;
}
.again :deep(.v-btn) {
  margin-top: 6px;
}
.sitemap {
  flex: 0 1 24rem;
}
</style>
