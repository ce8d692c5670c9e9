<script setup lang="ts">
import { computed } from 'vue'
import type { EdgeInfo } from '../../core/contracts/edges.ts'
import type { Place } from '../../core/contracts/measuring.ts'
import type { Audience, Region } from '../../core/contracts/regions.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { regionOfEdge } from '../../core/edges/edge-cost.ts'
import { distanceMs } from '../../core/model/distance.ts'
import { whole } from '../format/show.ts'

/** From where visitors can be served: home, edges that are there, and regions with their prices; each with its round trip to where visitors are. */
const props = defineProps<{
  site: Site
  edges: readonly EdgeInfo[]
  regions: readonly Region[]
  audience: readonly Audience[]
}>()

/** More columns cannot be read side by side. */
const MOST_PLACES = 6
const places = computed(() =>
  props.audience
    .toSorted((a, b) => Number(b.share) - Number(a.share))
    .slice(0, MOST_PLACES)
    .map(({ place }) => place),
)
const priceOf = ({ perGb }: Region): string =>
  perGb
    .map((step) => (step.upToGb === null ? String(step.perGb) : `${step.perGb} to ${whole(step.upToGb)} GB`))
    .join('; ')

interface Row {
  readonly name: string
  readonly note: string
  readonly place: Place
  /** A month, a GB, a million requests. */
  readonly prices: readonly string[]
}
const pricesOf = (region: Region | undefined): string[] =>
  region === undefined ? ['–', '–', '–'] : [String(region.perMonth), priceOf(region), String(region.perMillionRequests)]
const rows = computed((): Row[] => {
  const home = props.site.places.origin
  const own = props.edges.flatMap(({ name, place }) =>
    place === null ? [] : [{ name, note: 'your edge', place, region: regionOfEdge({ name, place }, props.regions) }],
  )
  const taken = new Set(own.map(({ region }) => region))
  return [
    ...(home === null ? [] : [{ name: home.name, note: 'home', place: home, prices: pricesOf(undefined) }]),
    ...own.map(({ region, ...edge }) => ({ ...edge, prices: pricesOf(region) })),
    ...props.regions
      .filter((region) => !taken.has(region))
      .map((region) => ({ name: region.name, note: '', place: region.place, prices: pricesOf(region) })),
  ]
})
const least = (place: Place): number => Math.min(...rows.value.map((row) => distanceMs(place, row.place)))
const isNearest = (row: Row, place: Place): boolean => distanceMs(place, row.place) === least(place)
</script>

<template>
  <div v-if="rows.length > 0" class="scroll" tabindex="0">
    <table class="figures">
      <caption class="visually-hidden">
        Where visitors can be served from, with prices and round trips
      </caption>
      <thead>
        <tr>
          <th scope="col">Served from</th>
          <th scope="col" class="num">A month</th>
          <th scope="col" class="num">A GB</th>
          <th scope="col" class="num">A million requests</th>
          <th v-for="place in places" :key="place.name + place.latitude" scope="col" class="num">
            To {{ place.name }}
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="row.note + row.name">
          <th scope="row">
            {{ row.note === '' ? row.name : `${row.name} `
            }}<span v-if="row.note" class="small muted">{{ row.note }}</span>
          </th>
          <td v-for="(price, at) in row.prices" :key="at" class="num">{{ price }}</td>
          <td v-for="place in places" :key="place.name + place.latitude" class="num">
            <component :is="isNearest(row, place) ? 'b' : 'span'"
              >{{ Math.round(distanceMs(place, row.place)) }} ms</component
            >
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>
