<script setup lang="ts">
import ActionButton from '../ui/ActionButton.vue'
import { computed, ref, shallowRef } from 'vue'
import { useRouter } from 'vue-router'
import { QuickCheck } from '../../core/contracts/quick-check.ts'
import type { HostHeader } from '../../core/contracts/delivery.ts'
import type { SiteCheck } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import QuickCheckResult from '../measure/QuickCheckResult.vue'
import FindingList from '../site/FindingList.vue'
import { vFirstFocus } from '../ui/first-focus.ts'
import { useProblems } from '../stores/problems.ts'
import { useSites } from '../stores/sites.ts'
import SelectField from '../ui/SelectField.vue'

const sites = useSites()
const problems = useProblems()
const router = useRouter()

const address = ref('')
const checking = ref(false)
const connecting = ref(false)
const check = ref<SiteCheck | null>(null)
const name = ref('')
const liveHost = ref('')
const trialHost = ref('')
const hostHeader = ref<HostHeader>('visitor')
/** What visitors type, where the owner has to say so. */
const publicAddress = ref('')
/** Where the sitemap is, where the owner has to say so. */
const sitemap = ref('')
const chosen = ref<string[]>([])
/** Only the newest check may write: an owner may correct the address while the first one still runs. */
let newest = 0

const stopped = computed(() => check.value?.findings.some(({ level }) => level === 'stop') ?? false)
const isPrivate = (): boolean => check.value?.findings.some(({ code }) => code === 'private-address') ?? false
/** Whether the server may answer by another name. */
const asksForName = computed(
  () => check.value?.findings.some(({ code }) => code === 'redirects' || code === 'error-status') ?? false,
)
const lacksSitemap = computed(() => check.value?.findings.some(({ code }) => code === 'no-sitemap') ?? false)
const privateAddresses = ref<'refused' | 'allowed'>('refused')
const quick = shallowRef<QuickCheck | null>(null)
/** @param reach "allowed" is the owner's yes to a private address, for this look and for the site */
const look = async (reach: 'refused' | 'allowed' = 'refused'): Promise<void> => {
  const mine = ++newest
  checking.value = true
  check.value = null
  quick.value = null
  privateAddresses.value = reach
  // The quick check is there at once; what kinds of pages there are takes longer.
  void callApi('POST', '/quick-checks', QuickCheck, { address: address.value, privateAddresses: reach })
    .then((seen) => mine === newest && (quick.value = seen))
    // What is wrong with the address the check below says, too.
    .catch(() => undefined)
  const named = publicAddress.value.trim()
  const found = await problems.catching(() =>
    sites.check({
      address: address.value,
      privateAddresses: reach,
      ...(named === '' ? {} : { publicAddress: named }),
      ...(sitemap.value.trim() === '' ? {} : { sitemap: sitemap.value.trim() }),
    }),
  )
  if (mine !== newest) return
  checking.value = false
  if (found === undefined) return
  check.value = found
  name.value = found.name
  liveHost.value = found.suggestedHosts.live
  trialHost.value = found.suggestedHosts.trial
  hostHeader.value = found.publicAddress === null ? 'visitor' : 'public'
  chosen.value = found.sample.map(({ path }) => path)
}
const giveUp = (): void => {
  newest++
  checking.value = false
}
const connect = async (): Promise<void> => {
  connecting.value = true
  const site = await problems.catching(() =>
    sites.connect({
      address: check.value!.address,
      name: name.value,
      liveHost: liveHost.value,
      trialHost: trialHost.value,
      hostHeader: hostHeader.value,
      ...(check.value!.publicAddress === null ? {} : { publicAddress: check.value!.publicAddress }),
      privateAddresses: privateAddresses.value,
      ...(check.value!.sitemap === null ? {} : { sitemap: check.value!.sitemap }),
      sample: check.value!.sample.filter(({ path }) => chosen.value.includes(path)),
    }),
  )
  connecting.value = false
  if (site !== undefined) await router.push({ name: 'today', params: { siteId: site.id } })
}
</script>

<template>
  <div class="view">
    <h1>Connect a site</h1>
    <p class="muted">Zest Lamp loads your site from outside, as a visitor would. Nothing on it is changed.</p>
    <form class="address" @submit.prevent="look()">
      <v-text-field
        v-model="address"
        v-first-focus
        label="Address of your web server (origin)"
        placeholder="https://www.example.org"
        required
      />
      <v-btn v-if="!checking" type="submit" color="primary" variant="flat" :disabled="address.trim() === ''"
        >Check the site</v-btn
      >
      <v-btn v-else type="button" @click="giveUp">Stop</v-btn>
    </form>
    <v-progress-linear v-if="checking" indeterminate color="primary" aria-label="Checking the site" />

    <details v-if="quick" class="quick" open>
      <summary>The first response</summary>
      <QuickCheckResult :check="quick" />
    </details>

    <template v-if="check">
      <h2>What we found at {{ check.address }}</h2>
      <FindingList :findings="check.findings" />
      <v-btn v-if="isPrivate()" class="yes" size="small" @click="look('allowed')">It is mine: check it anyway</v-btn>
      <form v-if="asksForName" class="address" @submit.prevent="look(privateAddresses)">
        <v-text-field
          v-model="publicAddress"
          label="Public address of the site"
          placeholder="https://www.example.org"
          hint="The server at the address above is then asked by this host name."
          persistent-hint
        />
        <v-btn type="submit" :disabled="publicAddress.trim() === ''">Use this name</v-btn>
      </form>
      <form v-if="lacksSitemap" class="address" @submit.prevent="look(privateAddresses)">
        <v-text-field
          v-model="sitemap"
          label="Address of the sitemap, if there is one"
          placeholder="/sitemap.xml"
          hint="A path or a full address. You can also add it later."
          persistent-hint
        />
        <v-btn type="submit" :disabled="sitemap.trim() === ''">Use this sitemap</v-btn>
      </form>
    </template>
    <form v-if="check && !stopped" @submit.prevent="connect">
      <h2>Sample pages</h2>
      <p class="muted small">One of each kind of page. These are measured and checked.</p>
      <div class="scroll narrow">
        <table class="figures">
          <thead>
            <tr>
              <th scope="col">Use</th>
              <th scope="col">Kind of page</th>
              <th scope="col">Page</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="page in check.sample" :key="page.path">
              <td><v-checkbox v-model="chosen" :value="page.path" :aria-label="`Use ${page.path}`" /></td>
              <td>{{ page.kind }}</td>
              <td>
                <code>{{ page.path }}</code>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <h2>Names</h2>
      <p class="muted small">
        Names under .localhost work on this machine only, so you can try everything before you change any DNS record.
      </p>
      <div class="names">
        <v-text-field v-model="name" label="Name of the site" required />
        <v-text-field
          v-model="liveHost"
          label="Live host name"
          hint="What visitors will use."
          persistent-hint
          required
        />
        <v-text-field v-model="trialHost" label="Trial host name" hint="For trying setups." persistent-hint required />
        <v-text-field
          v-if="check.publicAddress"
          :model-value="check.publicAddress"
          label="Host name sent to your server (origin)"
          hint="It answers only to this name; links in pages are changed to the names beside."
          persistent-hint
          readonly
        />
        <SelectField
          v-else
          v-model="hostHeader"
          label="Host name sent to your server (origin)"
          :items="[
            { value: 'visitor', title: 'the host name the visitor uses' },
            { value: 'origin', title: 'its own host name' },
          ]"
          hint="Choose its own name if your server redirects other names."
        />
      </div>
      <ActionButton type="submit" color="primary" variant="flat" :under-way="connecting" :disabled="chosen.length === 0"
        >Connect</ActionButton
      >
    </form>
  </div>
</template>

<style scoped>
.view {
  padding: 1.2rem 1.4rem 2rem;
  max-width: 900px;
}
.address {
  display: flex;
  gap: 0.8rem;
  align-items: start;
  margin: 1rem 0;
}
.address .zest-button {
  height: 40px;
}
.yes {
  margin-top: 0.6rem;
}
.quick {
  margin: 0.8rem 0;
}
.quick summary {
  font-weight: 650;
}
.names {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(260px, 1fr));
  gap: 0.9rem;
  align-items: start;
  margin: 0.6rem 0 1.2rem;
}
</style>
