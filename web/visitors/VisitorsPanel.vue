<script setup lang="ts">
import ActionButton from '../ui/ActionButton.vue'
import { computed, defineAsyncComponent, ref, watch } from 'vue'
import type { VisitorProfile } from '../../core/contracts/measuring.ts'
import { Site, type SitePlaces } from '../../core/contracts/sites.ts'
import { distanceMs } from '../../core/model/distance.ts'
import { DEFAULT_VISITORS } from '../../core/sampling/default-visitors.ts'
import { callApi } from '../api/client.ts'
import { useSaving } from '../stores/saving.ts'
import PlaceFields from './PlaceFields.vue'
import VisitorFields from './VisitorFields.vue'

/** The shapes of the land are larger than the rest of the view: who asks for the map loads them. */
const PlaceMap = defineAsyncComponent(() => import('../charts/PlaceMap.vue'))

/** Whom to measure as, where they are, and where the servers stand. */
const props = defineProps<{ site: Site }>()
const copied = <T,>(value: T): T => JSON.parse(JSON.stringify(value)) as T
const visitors = ref<VisitorProfile[]>([])
const places = ref<SitePlaces>({ origin: null, hosts: [] })
const reset = (): void => {
  visitors.value = copied(props.site.visitors)
  places.value = copied(props.site.places)
}
watch(() => [props.site.visitors, props.site.places], reset, { immediate: true })

/** For whom the next click on the map is meant: a visitor by place in the list, a host, or the origin. */
const target = ref<{ kind: 'origin' } | { kind: 'visitor' | 'host'; index: number }>({ kind: 'origin' })
const mapShown = ref(false)
const aim = (at: typeof target.value): void => {
  target.value = at
  mapShown.value = true
}
const targetName = computed(() => {
  const { value } = target
  if (value.kind === 'origin') return 'the origin'
  return value.kind === 'visitor' ? visitors.value[value.index]?.name : places.value.hosts[value.index]?.host
})
const choose = (point: { latitude: number; longitude: number }): void => {
  const { value } = target
  const named = <T extends { name: string } | null>(before: T): string =>
    before?.name ?? `${point.latitude}, ${point.longitude}`
  if (value.kind === 'origin') places.value.origin = { name: named(places.value.origin), ...point }
  else if (value.kind === 'visitor') {
    const visitor = visitors.value[value.index]
    if (visitor !== undefined) visitor.place = { name: visitor.place?.name ?? visitor.name, ...point }
  } else {
    const host = places.value.hosts[value.index]
    if (host !== undefined) host.place = { ...host.place, ...point }
  }
}
const marks = computed(() => [
  ...(places.value.origin === null ? [] : [{ place: places.value.origin, kind: 'origin' as const }]),
  ...visitors.value.flatMap(({ place }) => (place === null ? [] : [{ place, kind: 'visitor' as const }])),
  ...places.value.hosts.map(({ place }) => ({ place, kind: 'host' as const })),
])
const add = (): void => {
  const base = DEFAULT_VISITORS[0]!
  const id = `visitor-${Date.now().toString(36)}`
  visitors.value.push({ ...base, id, name: `Visitor ${visitors.value.length + 1}` })
}
const addHost = (): void => {
  places.value.hosts.push({ host: '', place: { name: 'There', latitude: 0, longitude: 0 } })
}
const changed = computed(
  () => JSON.stringify([visitors.value, places.value]) !== JSON.stringify([props.site.visitors, props.site.places]),
)
const { saving, save } = useSaving(async () => {
  await callApi('PUT', `/sites/${props.site.id}/places`, Site, places.value)
  await callApi('PUT', `/sites/${props.site.id}/visitors`, Site, visitors.value)
})
const farness = (visitor: VisitorProfile): string => {
  const ms = distanceMs(visitor.place, places.value.origin)
  return ms === 0 ? `${visitor.roundTripMs} ms` : `${visitor.roundTripMs} + ${ms.toFixed(0)} ms`
}
</script>

<template>
  <form @submit.prevent="save">
    <div class="columns">
      <div class="visitors">
        <VisitorFields
          v-for="(visitor, index) in visitors"
          :key="visitor.id"
          v-model="visitors[index]!"
          :journeys="site.journeys"
          :first="visitors.length === 1"
          @remove="visitors.splice(index, 1)"
          @choose="aim({ kind: 'visitor', index })"
        />
        <div class="bar">
          <v-btn size="small" :disabled="visitors.length >= 10" @click="add">Add a visitor</v-btn>
        </div>
      </div>
      <div>
        <template v-if="mapShown">
          <PlaceMap :places="marks" @choose="choose" />
          <p class="small muted">
            A click sets the place of <b>{{ targetName }}</b>.
          </p>
        </template>
        <v-btn v-else size="small" @click="mapShown = true">Show the map</v-btn>
        <p class="small muted">
          Round trips:
          <template v-for="(visitor, index) in visitors" :key="visitor.id"
            >{{ index > 0 ? ', ' : '' }}{{ visitor.name }} {{ farness(visitor) }}</template
          >. Distance is the great circle times 1.75 for cable routes, at 100 km per millisecond of round trip.
        </p>
        <div class="row">
          <PlaceFields v-model="places.origin" label="Location of your server (origin)" />
          <v-btn size="small" @click="aim({ kind: 'origin' })">Choose on the map</v-btn>
        </div>
        <div v-for="(host, index) in places.hosts" :key="index" class="row">
          <v-text-field v-model="host.host" label="Other host" placeholder="tags.example.org" />
          <PlaceFields
            :model-value="host.place"
            label="Location"
            @update:model-value="(place) => place !== null && (host.place = place)"
          />
          <v-btn size="small" @click="aim({ kind: 'host', index })">On the map</v-btn>
          <v-btn size="small" :aria-label="`Remove ${host.host}`" @click="places.hosts.splice(index, 1)">Remove</v-btn>
        </div>
        <v-btn size="small" @click="addHost">Add another host that pages load from</v-btn>
      </div>
    </div>
    <div class="bar end">
      <v-btn type="button" :disabled="!changed" @click="reset">Undo changes</v-btn>
      <ActionButton type="submit" color="primary" variant="flat" :disabled="!changed" :under-way="saving"
        >Save visitors</ActionButton
      >
    </div>
  </form>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 1.2rem;
}
.visitors {
  display: grid;
  gap: 0.7rem;
  align-content: start;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem;
  align-items: center;
  margin-bottom: 0.6rem;
}
.row > :first-child {
  flex: 1 1 260px;
}
.end {
  margin-top: 0.8rem;
}
@media (max-width: 1000px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
