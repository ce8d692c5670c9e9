<script setup lang="ts">
import { computed, ref } from 'vue'
import type { EdgeDraft, EdgeInfo } from '../../core/contracts/edges.ts'
import type { Place } from '../../core/contracts/measuring.ts'
import ActionButton from '../ui/ActionButton.vue'
import SelectField from '../ui/SelectField.vue'
import PlaceFields from '../visitors/PlaceFields.vue'

/** What the owner says of an edge. */
const props = defineProps<{ edge: EdgeInfo | null; siteId: string; working: boolean }>()
const emit = defineEmits<{ save: [draft: EdgeDraft]; cancel: []; token: []; remove: [] }>()

const name = ref(props.edge?.name ?? '')
const place = ref<Place | null>(props.edge?.place ?? null)
const address = ref(props.edge?.address ?? '')
const port = ref(props.edge?.port ?? 80)
const securePort = ref(props.edge?.securePort ?? 443)
const homeUrl = ref(props.edge?.homeUrl ?? '')
const whenAway = ref<EdgeDraft['whenAway']>(props.edge?.whenAway ?? 'ask-origin')
const serves = ref<'all' | 'this'>(props.edge?.siteIds == null ? 'all' : 'this')
const AWAY = [
  { value: 'ask-origin', title: 'pages straight from your server (origin)' },
  { value: 'fail', title: 'a page that asks them to try again' },
] as const satisfies readonly { value: EdgeDraft['whenAway']; title: string }[]
const SERVES = [
  { value: 'all', title: 'all sites' },
  { value: 'this', title: 'this site only' },
] as const

const complete = computed(() => name.value.trim() !== '' && homeUrl.value.trim() !== '')
const save = (): void =>
  emit('save', {
    name: name.value,
    place: place.value === null ? null : { ...place.value },
    address: address.value.trim() || null,
    port: Number(port.value),
    securePort: Number(securePort.value),
    homeUrl: homeUrl.value,
    siteIds: serves.value === 'all' ? null : [props.siteId],
    whenAway: whenAway.value,
  })
</script>

<template>
  <form class="form" @submit.prevent="save">
    <v-text-field v-model="name" label="Name" placeholder="North" hide-details />
    <PlaceFields v-model="place" label="Place where it stands" />
    <div class="pair">
      <v-text-field
        v-model="address"
        label="Host name or address, for visitors"
        hint="May be left open until the machine is there."
        persistent-hint
      />
      <v-text-field v-model="port" type="number" min="1" max="65535" label="Port for HTTP" />
      <v-text-field v-model="securePort" type="number" min="1" max="65535" label="Port for HTTPS" />
    </div>
    <v-text-field
      v-model="homeUrl"
      label="Address by which it reaches this Zest Lamp’s visitors’ port"
      placeholder="https://home.example"
      hint="Over TLS, unless both stand in one private network."
      persistent-hint
    />
    <div class="pair">
      <SelectField v-model="serves" label="Serves" :items="SERVES" />
      <SelectField v-model="whenAway" label="Without home, visitors get" :items="AWAY" />
    </div>
    <div class="bar">
      <ActionButton
        type="submit"
        size="small"
        color="primary"
        variant="flat"
        :disabled="!complete"
        :under-way="working"
        >{{ edge === null ? 'Add this edge' : 'Save' }}</ActionButton
      >
      <v-btn size="small" @click="emit('cancel')">Cancel</v-btn>
      <template v-if="edge !== null">
        <v-btn size="small" @click="emit('token')">{{
          edge.state === 'not-joined' ? 'Make a new token' : 'Let another machine take its place'
        }}</v-btn>
        <v-btn size="small" color="error" variant="text" @click="emit('remove')">Remove this edge</v-btn>
      </template>
    </div>
  </form>
</template>

<style scoped>
.form {
  display: grid;
  gap: 0.6rem;
  max-width: 44rem;
  margin: 0.6rem 0 1rem;
}
.pair {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(14rem, 1fr));
  gap: 0.6rem;
}
</style>
