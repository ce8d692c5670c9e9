<script setup lang="ts">
import { computed } from 'vue'
import type { EdgeInfo } from '../../core/contracts/edges.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { distanceMs } from '../../core/model/distance.ts'
import { bytes, when, whole } from '../format/show.ts'
import { edgeState, firstFill, hitPercent } from './edge-words.ts'

/** The edges, and what each has answered for this site. */
const props = defineProps<{ edges: readonly EdgeInfo[]; site: Site }>()
defineEmits<{ change: [edge: EdgeInfo]; fill: [edge: EdgeInfo] }>()

const rows = computed(() =>
  props.edges.map((edge) => {
    const figures = edge.sites.find(({ siteId }) => siteId === props.site.id)
    const home = props.site.places.origin
    return {
      edge,
      figures,
      serves: edge.siteIds === null || edge.siteIds.includes(props.site.id),
      state: edgeState(edge, when),
      percent: hitPercent(figures),
      fill: firstFill(figures),
      homeMs: edge.place === null || home === null ? null : Math.round(distanceMs(edge.place, home)),
    }
  }),
)
</script>

<template>
  <div class="scroll">
    <table class="figures">
      <caption class="visually-hidden">
        Edges and what they have answered for this site
      </caption>
      <thead>
        <tr>
          <th scope="col">Edge</th>
          <th scope="col">State</th>
          <th scope="col" class="num">Round trip to home</th>
          <th scope="col" class="num">Requests</th>
          <th scope="col" class="num">From its store</th>
          <th scope="col" class="num">Bytes sent</th>
          <th scope="col" class="num">Median answer</th>
          <th scope="col" class="num">Failed</th>
          <th scope="col"><span class="visually-hidden">Actions</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="{ edge, figures, state, percent, fill, homeMs, serves } in rows" :key="edge.id">
          <th scope="row">
            {{ edge.name }}{{ ' ' }}
            <span v-if="edge.place && edge.place.name !== edge.name" class="small muted">{{ edge.place.name }}</span>
          </th>
          <td class="state">
            {{ serves ? state : 'Does not serve this site' }}
            <span v-if="edge.problem" class="small problem">{{ edge.problem }}</span>
            <span v-else-if="edge.filling" class="small muted" role="status"
              >Fetching pages from home: {{ edge.filling.done }} of {{ edge.filling.total }}</span
            >
            <span v-else-if="fill" class="small muted"
              >{{ fill }}
              <v-btn size="small" @click="$emit('fill', edge)">Fill it now</v-btn>
            </span>
          </td>
          <td class="num">{{ homeMs === null ? '–' : `${homeMs} ms` }}</td>
          <td class="num">{{ whole(figures?.requests) }}</td>
          <td class="num">{{ percent === null ? '–' : `${percent}%` }}</td>
          <td class="num">{{ bytes(figures?.bytes) }}</td>
          <td class="num">{{ figures?.waitMs == null ? '–' : `${figures.waitMs} ms` }}</td>
          <td class="num">{{ whole(figures?.errors) }}</td>
          <td class="actions">
            <v-btn size="small" :aria-label="`Change ${edge.name}`" @click="$emit('change', edge)">Change</v-btn>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
td .small {
  display: block;
  max-width: 26rem;
}
.state {
  min-width: 16rem;
}
.problem {
  color: rgb(var(--v-theme-error));
}
.actions {
  white-space: nowrap;
}
</style>
