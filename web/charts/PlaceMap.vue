<script setup lang="ts">
import { computed, onMounted, ref, shallowRef } from 'vue'
import { geoEqualEarth, geoPath, type GeoPermissibleObjects } from 'd3-geo'
import type { Place } from '../../core/contracts/measuring.ts'
import { nearestFor } from '../../core/edges/nearest-edge.ts'
import { distanceMs } from '../../core/model/distance.ts'

/** Where visitors and servers are. Clicking chooses a place; the fields beside it do the same from the keyboard. */
type Kind = 'visitor' | 'origin' | 'edge' | 'region' | 'host'
const props = defineProps<{ places: readonly { place: Place; kind: Kind }[] }>()
const keyOf = (dot: { readonly kind: Kind; readonly place: Place; readonly x: number }): string =>
  dot.kind + dot.place.name + dot.x
const emit = defineEmits<{ choose: [point: { latitude: number; longitude: number }] }>()
const WIDTH = 720
const HEIGHT = 320
/** Where people live: the ice of the south is left out, and what is left is larger. */
const SHOWN: GeoPermissibleObjects = {
  type: 'MultiPoint',
  coordinates: [
    [-168, 0],
    [178, 0],
    [0, 78],
    [0, -56],
  ],
}
const projection = geoEqualEarth().fitSize([WIDTH, HEIGHT], SHOWN)
const path = geoPath(projection)
const land = shallowRef<GeoPermissibleObjects | null>(null)
const svg = ref<SVGSVGElement | null>(null)

onMounted(async () => {
  // Shapes of Natural Earth (public domain) that ship with the application; only who looks at the map loads them.
  const [{ feature }, { default: atlas }] = await Promise.all([
    import('topojson-client'),
    import('world-atlas/land-110m.json'),
  ])
  land.value = feature(atlas as never, (atlas as { objects: { land: unknown } }).objects.land as never)
})
const outline = computed(() => path({ type: 'Sphere' }) ?? '')
const shape = computed(() => (land.value === null ? '' : (path(land.value) ?? '')))
const dots = computed(() =>
  props.places.flatMap(({ place, kind }) => {
    const at = projection([place.longitude, place.latitude])
    return at === null ? [] : [{ place, kind, x: at[0], y: at[1] }]
  }),
)
const isBeside = ({ kind }: { readonly kind: Kind }): boolean => kind === 'visitor' || kind === 'host'
/** About as wide as a letter is, and how high a line, in units of the map. */
const LETTER = 9
const LINE = 17
/** Names that have room; of those that would lie over each other the first keeps its own: visitors before servers, what is there before what is not. */
const named = computed(() => {
  const order: readonly Kind[] = ['visitor', 'origin', 'edge', 'host', 'region']
  const kept: { left: number; right: number; y: number }[] = []
  const shown = new Set<string>()
  for (const dot of dots.value.toSorted((a, b) => order.indexOf(a.kind) - order.indexOf(b.kind))) {
    const box = { left: dot.x, right: dot.x + LETTER * dot.place.name.length, y: dot.y + (isBeside(dot) ? 4 : 18) }
    const isFree = kept.every((one) => Math.abs(one.y - box.y) >= LINE || one.right < box.left || box.right < one.left)
    if (!isFree) continue
    kept.push(box)
    shown.add(keyOf(dot))
  }
  return shown
})
const origin = computed(() => props.places.find(({ kind }) => kind === 'origin')?.place ?? null)
/** Where a visitor is served from: home, or an edge that is nearer. */
const serverOf = (visitor: Place): Place | null => {
  const edges = props.places.flatMap(({ place, kind }) =>
    kind === 'edge' ? [{ name: place.name, place, address: '', port: 80 }] : [],
  )
  const nearest = nearestFor(visitor, origin.value, edges)
  return nearest.kind === 'edge' ? nearest.edge.place : origin.value
}
/** Great circles from each visitor to where they are served from, as the projection bends them. */
const ways = computed(() =>
  props.places
    .filter(({ kind }) => kind === 'visitor')
    .flatMap(({ place }) => {
      const server = serverOf(place)
      if (server === null) return []
      const coordinates = [place, server].map(({ longitude, latitude }) => [longitude, latitude])
      const key = `${place.name} ${place.latitude} ${place.longitude}`
      return [{ key, d: path({ type: 'LineString', coordinates }) ?? '' }]
    }),
)
const KINDS = {
  visitor: 'visitor',
  origin: 'server',
  edge: 'edge',
  region: 'could be rented',
  host: 'other host',
} as const
const spoken = computed(() =>
  props.places
    .map(({ place, kind }) => {
      const server = kind === 'visitor' ? serverOf(place) : null
      return server === null
        ? `${place.name} (${KINDS[kind]})`
        : `${place.name}, ${Math.round(distanceMs(place, server))} ms from ${server.name}`
    })
    .join('; '),
)
const choose = (event: MouseEvent): void => {
  const box = svg.value!.getBoundingClientRect()
  const point = projection.invert?.([
    ((event.clientX - box.left) / box.width) * WIDTH,
    ((event.clientY - box.top) / box.height) * HEIGHT,
  ])
  if (point)
    emit('choose', {
      longitude: Math.round(point[0] * 100) / 100,
      latitude: Math.round(point[1] * 100) / 100,
    })
}
</script>

<template>
  <svg
    ref="svg"
    class="map"
    :viewBox="`0 0 ${WIDTH} ${HEIGHT}`"
    role="img"
    :aria-label="`Map of places: ${spoken || 'none yet'}`"
    @click="choose"
  >
    <path class="sea" :d="outline" />
    <path class="land" :d="shape" />
    <path v-for="way in ways" :key="way.key" class="way" :d="way.d" />
    <g v-for="dot in dots" :key="keyOf(dot)" :class="dot.kind" :transform="`translate(${dot.x} ${dot.y})`">
      <circle v-if="dot.kind === 'visitor'" r="7" />
      <rect v-else-if="dot.kind === 'origin'" x="-6" y="-6" width="12" height="12" />
      <rect
        v-else-if="dot.kind === 'edge' || dot.kind === 'region'"
        x="-5"
        y="-5"
        width="10"
        height="10"
        transform="rotate(45)"
      />
      <path v-else d="M0 -6l6 10h-12z" />
      <title>{{ dot.place.name }} ({{ KINDS[dot.kind] }})</title>
      <text v-if="named.has(keyOf(dot))" x="11" :y="isBeside(dot) ? 4 : 18">{{ dot.place.name }}</text>
    </g>
  </svg>
</template>

<style scoped>
.map {
  width: 100%;
  height: auto;
  cursor: crosshair;
  display: block;
}
.sea {
  fill: rgb(var(--v-theme-surface));
  stroke: rgb(var(--v-theme-line));
}
.land {
  fill: rgb(var(--v-theme-surface-variant));
  stroke: rgb(var(--v-theme-line));
  stroke-width: 0.5;
}
.way {
  fill: none;
  stroke: rgb(var(--v-theme-secondary));
  stroke-dasharray: 3 3;
}
.visitor circle {
  fill: rgb(var(--v-theme-live));
  stroke: rgb(var(--v-theme-surface));
}
.origin rect {
  fill: rgb(var(--v-theme-surface));
  stroke: rgb(var(--v-theme-origin));
  stroke-width: 3;
}
.edge rect {
  fill: rgb(var(--v-theme-live));
  stroke: rgb(var(--v-theme-surface));
}
.region rect {
  fill: rgb(var(--v-theme-surface));
  stroke: rgb(var(--v-theme-live));
}
.host path {
  fill: rgb(var(--v-theme-trial));
  stroke: rgb(var(--v-theme-trial-ink));
}
text {
  font-size: 17px;
  fill: rgb(var(--v-theme-on-surface));
  paint-order: stroke;
  stroke: rgb(var(--v-theme-surface));
  stroke-width: 3px;
}
</style>
