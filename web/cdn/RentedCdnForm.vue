<script setup lang="ts">
import { computed, ref } from 'vue'
import type { CdnProviderId, RentedCdn, RentedCdnDraft, RentedCdnState } from '../../core/contracts/rented-cdn.ts'
import ActionButton from '../ui/ActionButton.vue'
import SelectField from '../ui/SelectField.vue'

/** Which CDN the site rents, and what of the site it serves. */
const props = defineProps<{ cdn: RentedCdn | null; demo: RentedCdnState['demo']; saving: boolean }>()
const emit = defineEmits<{ save: [draft: RentedCdnDraft] }>()

const SIMULATED = { value: 'simulated', title: 'The simulated provider of the demo (with an API)' } as const
const providers = computed<{ value: CdnProviderId; title: string }[]>(() => [
  { value: 'any', title: 'Any CDN that fetches from an origin' },
  ...(props.demo !== null || props.cdn?.provider === 'simulated' ? [SIMULATED] : []),
])
const SCOPES = [
  { value: 'files', title: 'Files only: styles, scripts, fonts and pictures' },
  { value: 'site', title: 'The whole site: DNS leads visitors to the CDN' },
] as const
const provider = ref<CdnProviderId>(props.cdn?.provider ?? (props.demo === null ? 'any' : 'simulated'))
const scope = ref(props.cdn?.scope ?? 'files')
const hostUrl = ref(props.cdn?.hostUrl ?? '')
const apiAddress = ref(props.cdn?.apiAddress ?? props.demo?.apiAddress ?? '')
const token = ref(props.cdn === null ? (props.demo?.token ?? '') : '')
const hasApi = computed(() => provider.value !== 'any')
const complete = computed(() => (hasApi.value ? apiAddress.value.trim() !== '' : hostUrl.value.trim() !== ''))
const save = (): void => {
  const text = (value: string): string | null => (value.trim() === '' ? null : value.trim())
  emit('save', {
    provider: provider.value,
    scope: scope.value,
    // A provider with an API says by itself what its hosts are.
    hostUrl: hasApi.value ? null : text(hostUrl.value),
    apiAddress: hasApi.value ? text(apiAddress.value) : null,
    token: hasApi.value ? text(token.value) : null,
  })
  token.value = ''
}
</script>

<template>
  <form class="panel form" @submit.prevent="save">
    <SelectField v-model="provider" :items="providers" label="Provider" />
    <v-radio-group v-model="scope" hide-details density="compact" label="What the CDN serves">
      <v-radio v-for="one in SCOPES" :key="one.value" :value="one.value" :label="one.title" />
    </v-radio-group>
    <template v-if="hasApi">
      <v-text-field v-model="apiAddress" label="Address of the provider’s API" placeholder="https://api.example" />
      <v-text-field
        v-model="token"
        type="password"
        autocomplete="off"
        :label="cdn?.hasToken ? 'Token (empty: keep the saved one)' : 'Token'"
        hint="Saved encrypted, and not shown again."
        persistent-hint
      />
    </template>
    <v-text-field
      v-else
      v-model="hostUrl"
      label="Address by which the CDN serves your site"
      placeholder="https://files.example"
    />
    <div class="bar">
      <ActionButton type="submit" color="primary" variant="flat" :disabled="!complete" :under-way="saving"
        >Save</ActionButton
      >
    </div>
  </form>
</template>

<style scoped>
.form {
  display: grid;
  gap: 0.8rem;
  max-width: 44rem;
}
</style>
