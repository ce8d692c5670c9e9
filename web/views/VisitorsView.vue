<script setup lang="ts">
import type { Site } from '../../core/contracts/sites.ts'
import MeasureNav from '../measure/MeasureNav.vue'
import JourneysPanel from '../visitors/JourneysPanel.vue'
import SamplePanel from '../visitors/SamplePanel.vue'
import VisitorsPanel from '../visitors/VisitorsPanel.vue'

/** As whom, from where, and on which pages is measured. */
defineProps<{ site: Site }>()
</script>

<template>
  <MeasureNav :site="site" />
  <h1 class="visually-hidden">Visitors and pages</h1>
  <h2>Visitors and places</h2>
  <VisitorsPanel :site="site" />
  <h2>Sample pages</h2>
  <SamplePanel :site="site" />
  <h2>Journeys</h2>
  <JourneysPanel :site="site" />
</template>
