<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import {
  AutomaticCertificateState,
  type AcmeChallenge,
  type AutomaticCertificate,
} from '../../core/contracts/certificates.ts'
import { Job } from '../../core/contracts/jobs.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { when } from '../format/show.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { useSites } from '../stores/sites.ts'
import ActionButton from '../ui/ActionButton.vue'
import ModalDialog from '../ui/ModalDialog.vue'
import NoteBox from '../ui/NoteBox.vue'
import SelectField from '../ui/SelectField.vue'

/** A certificate that is got from an authority and renewed in time, without anybody having to think of it. */
const props = defineProps<{ site: Site }>()
const problems = useProblems()
const sites = useSites()
const jobs = useJobs()

const automatic = shallowRef<AutomaticCertificate | null>(null)
const open = ref(false)
const working = ref(false)
const path = computed(() => `/sites/${props.site.id}/certificate/automatic`)
const load = async (): Promise<void> => {
  const came = await problems.catching(() => callApi('GET', path.value, AutomaticCertificateState))
  if (came !== undefined) automatic.value = came.automatic
}
/** A try begins and ends as a job. */
const tries = computed(() =>
  jobs.jobs
    .filter(({ siteId, kind }) => siteId === props.site.id && kind === 'certificate')
    .map(({ id, state }) => `${id} ${state}`)
    .join(),
)
watch(
  [path, tries, () => props.site.certificate?.validUntil],
  async () => {
    await load()
    if (automatic.value?.state === 'valid' && automatic.value.validUntil !== props.site.certificate?.validUntil)
      await problems.catching(() => sites.load())
  },
  { immediate: true },
)

const CHALLENGES = [
  { value: 'http-01', title: 'over HTTP: this host name reaches Zest Lamp on port 80' },
  { value: 'dns-01', title: 'by a record that I enter in the DNS' },
] as const satisfies readonly { value: AcmeChallenge; title: string }[]
const form = ref({
  directory: '',
  contact: '',
  challenge: 'http-01' as AcmeChallenge,
  termsAgreed: false,
  keyId: '',
  key: '',
})
watch(open, (now) => {
  form.value.key = ''
  if (!now || automatic.value === null) return
  const { directory, contact, challenge } = automatic.value
  Object.assign(form.value, { directory, contact, challenge })
})
const order = async (): Promise<void> => {
  const { directory, contact, challenge, termsAgreed, keyId, key } = form.value
  working.value = true
  const job = await problems.catching(() =>
    callApi('PUT', path.value, Job, {
      ...{ directory: directory.trim(), contact: contact.trim(), challenge, termsAgreed },
      externalAccount: keyId.trim() === '' ? null : { keyId, key },
    }),
  )
  working.value = false
  if (job === undefined) return
  open.value = false
  await load()
}
const tryNow = async (): Promise<void> => {
  working.value = true
  await problems.catching(() => callApi('POST', `${path.value}/tries`, Job))
  working.value = false
  await load()
}
const end = async (): Promise<void> => {
  await problems.catching(() => callApi('DELETE', path.value))
  await load()
}
const authority = computed(() => (automatic.value === null ? '' : new URL(automatic.value.directory).host))
const sentence = computed(() => {
  const { state, nextTryAt } = automatic.value ?? {}
  if (state === 'getting') return `A certificate is being got from ${authority.value}.`
  if (state === 'valid' && nextTryAt)
    return `It came from ${authority.value} and is renewed by itself on ${when(nextTryAt)}.`
  return ''
})
</script>

<template>
  <template v-if="automatic !== null">
    <p v-if="sentence" class="apart" role="status">{{ sentence }}</p>
    <NoteBox v-if="automatic.problem" kind="error" class="apart" role="status">
      <p>{{ automatic.problem }}</p>
      <p v-if="automatic.nextTryAt">It is tried again by itself on {{ when(automatic.nextTryAt) }}.</p>
    </NoteBox>
    <NoteBox v-else-if="automatic.record" kind="warning" class="apart" role="status">
      <p>Enter this record in your DNS. It goes on by itself once the record is seen, which may take an hour.</p>
      <dl class="record">
        <dt>Type</dt>
        <dd>TXT</dd>
        <dt>Name</dt>
        <dd>
          <code>{{ automatic.record.name }}</code>
        </dd>
        <dt>Value</dt>
        <dd>
          <code>{{ automatic.record.value }}</code>
        </dd>
      </dl>
    </NoteBox>
  </template>
  <div class="bar apart">
    <v-btn size="small" @click="open = true">{{
      automatic === null ? 'Get a certificate …' : 'Change how it is got …'
    }}</v-btn>
    <template v-if="automatic !== null">
      <ActionButton v-if="automatic.state !== 'getting'" size="small" :under-way="working" @click="tryNow">
        {{ automatic.state === 'valid' ? 'Renew now' : 'Try now' }}
      </ActionButton>
      <v-btn size="small" @click="end">Stop renewing</v-btn>
    </template>
  </div>
  <ModalDialog v-model="open" :width="640" label="Get a certificate">
    <form class="panel dialog" @submit.prevent="order">
      <h2>Get a certificate for {{ site.liveHost }}</h2>
      <p>From a certificate authority that speaks ACME (RFC 8555). It is renewed by itself.</p>
      <v-text-field
        v-model="form.directory"
        label="Address of the authority’s directory"
        placeholder="https://"
        hint="Your certificate authority tells it, often under “ACME”."
        persistent-hint
      />
      <v-text-field v-model="form.contact" type="email" label="Your e-mail address, for the authority" />
      <SelectField v-model="form.challenge" :items="CHALLENGES" label="How the authority sees that the name is yours" />
      <details>
        <summary>The authority wants an account that I have already</summary>
        <v-text-field v-model="form.keyId" label="Key identifier" autocomplete="off" />
        <v-text-field
          v-model="form.key"
          type="password"
          label="Key (base64url)"
          autocomplete="off"
          hint="Saved in the data directory of this machine and never shown again."
          persistent-hint
        />
      </details>
      <v-checkbox v-model="form.termsAgreed" label="I agree to the terms of the authority" hide-details />
      <div class="bar end">
        <v-btn type="button" @click="open = false">Cancel</v-btn>
        <ActionButton
          type="submit"
          color="primary"
          variant="flat"
          :under-way="working"
          :disabled="!form.termsAgreed || form.directory.trim() === '' || form.contact.trim() === ''"
          >Get the certificate</ActionButton
        >
      </div>
    </form>
  </ModalDialog>
</template>

<style scoped>
.apart {
  margin-top: 0.8rem;
}
.record {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 0.2rem 0.8rem;
  margin: 0.4rem 0 0;
}
.record dt {
  color: rgb(var(--v-theme-muted));
}
.record dd {
  margin: 0;
  overflow-wrap: anywhere;
}
</style>
