<script setup lang="ts">
import { computed, ref } from 'vue'
import { Site } from '../../core/contracts/sites.ts'
import { addressRules, keyRules } from '../../core/golive/back-door.ts'
import { ORIGIN_KEY_FIELD } from '../../core/http/origin-key.ts'
import { callApi } from '../api/client.ts'
import { useSaving } from '../stores/saving.ts'
import ActionButton from '../ui/ActionButton.vue'
import SelectField from '../ui/SelectField.vue'

/** Two ways to have the owner's server answer Zest Lamp only. @param addresses of Zest Lamp; null: not said yet */
const props = defineProps<{ site: Site; addresses: readonly string[] | null }>()
const WAYS = [
  { value: 'addresses', title: 'By address' },
  { value: 'key', title: 'By a secret field (request header)' },
] as const
const way = ref<'addresses' | 'key'>(props.site.originKey === null ? 'addresses' : 'key')
const path = computed(() => `/sites/${props.site.id}/origin-key`)
const sending = useSaving(() => callApi('POST', path.value, Site))
const dropping = useSaving(() => callApi('DELETE', path.value, Site))
const rules = computed(() =>
  way.value === 'addresses'
    ? props.addresses === null
      ? undefined
      : addressRules(props.addresses)
    : props.site.originKey === null
      ? undefined
      : keyRules(props.site.originKey),
)
</script>

<template>
  <SelectField v-model="way" :items="WAYS" label="How your server recognizes Zest Lamp" class="way" />
  <p v-if="way === 'addresses' && addresses === null" class="muted">
    The rules for your web server stand here once you have said where Zest Lamp runs, under DNS.
  </p>
  <template v-if="way === 'key'">
    <p v-if="site.originKey === null">
      Zest Lamp sends the field <code>{{ ORIGIN_KEY_FIELD }}</code> with a secret key whenever it requests something
      from your server. Use this where its addresses change, or where something stands in between. Edges that may ask
      your server send it too.
    </p>
    <p v-else>
      Zest Lamp sends this key now. First put the rules in, then check all steps: that proves it from here. Measurements
      of your server (origin) go through Zest Lamp with everything switched off.
    </p>
    <ActionButton v-if="site.originKey === null" size="small" :under-way="sending.saving.value" @click="sending.save"
      >Send a secret field</ActionButton
    >
  </template>
  <template v-if="rules !== undefined">
    <p>In nginx, within the server block:</p>
    <pre tabindex="0" aria-label="Rules for nginx">{{ rules.nginx }}</pre>
    <p>In Apache, within the directory or virtual host:</p>
    <pre tabindex="0" aria-label="Rules for Apache">{{ rules.apache }}</pre>
  </template>
  <ActionButton
    v-if="way === 'key' && site.originKey !== null"
    size="small"
    :under-way="dropping.saving.value"
    @click="dropping.save"
    >Stop sending it</ActionButton
  >
</template>

<style scoped>
.way {
  max-width: 20rem;
  margin-top: 0.8rem;
}
pre {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  padding: 0.5rem 0.7rem;
  border: 1px solid rgb(var(--v-theme-line));
  max-width: 40rem;
}
</style>
