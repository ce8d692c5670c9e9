<script setup lang="ts">
import { computed } from 'vue'
import type { Site } from '../../core/contracts/sites.ts'
import { useSite } from '../stores/site.ts'
import SecondsRuler from './SecondsRuler.vue'
import { siteScale } from './site-scale.ts'
import SelectField from '../ui/SelectField.vue'

/** The ruler at the top of a site's screens, with the page and the visitor it is about. */
const props = defineProps<{ site: Site }>()
const siteData = useSite()

const scale = computed(() => siteScale(siteData.standings))
const page = computed({
  get: () => siteData.chosen?.pageId ?? props.site.sample[0]?.id ?? '',
  set: (id: string) => siteData.choose(id, visitor.value),
})
const visitor = computed({
  get: () => siteData.chosen?.visitorId ?? props.site.visitors[0]?.id ?? '',
  set: (id: string) => siteData.choose(page.value, id),
})
/** Measured pages come first; the others show that nothing is known of them. */
const pages = computed(() => {
  const measured = new Set(siteData.standings.map(({ pageId }) => pageId))
  return props.site.sample
    .filter(({ id }) => measured.size === 0 || measured.has(id))
    .map(({ id, path, kind }) => ({ value: id, title: path === '/' ? 'Home page' : path, kind }))
})
const visitors = computed(() => props.site.visitors.map(({ id, name }) => ({ value: id, title: name })))
const lcp = (side: 'origin' | 'live' | 'trial'): number | null => siteData.chosen?.[side]?.medians.lcpMs ?? null
</script>

<template>
  <section class="site-ruler" aria-label="Seconds ruler">
    <div class="choice">
      <SelectField v-model="visitor" :items="visitors" label="Visitor" />
      <SelectField v-model="page" :items="pages" label="Page" />
    </div>
    <SecondsRuler
      :scale="scale"
      :origin="lcp('origin')"
      :live="lcp('live')"
      :trial="lcp('trial')"
      :floor-ms="siteData.chosen?.floorMs ?? null"
      :about="`Time to the main content of ${siteData.chosen?.path ?? 'the page'} on ${siteData.chosen?.visitorName ?? 'any visitor'}`"
    />
  </section>
</template>

<style scoped>
.site-ruler {
  display: grid;
  grid-template-columns: 210px minmax(0, 1fr);
  gap: 1.4rem;
  align-items: start;
  padding: 0.9rem 1.4rem 0.5rem;
  background: rgb(var(--v-theme-surface));
  border-bottom: 1px solid rgb(var(--v-theme-line));
}
.choice {
  display: grid;
  gap: 0.7rem;
  padding-top: 0.3rem;
}
@media (max-width: 760px) {
  .site-ruler {
    grid-template-columns: minmax(0, 1fr);
    gap: 0.6rem;
    padding: 0.7rem 0.9rem 0.4rem;
  }
  .choice {
    grid-template-columns: 1fr 1.4fr;
  }
}
</style>
