<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Site } from '../../core/contracts/sites.ts'
import { pageName, seconds } from '../format/show.ts'
import { useSite } from '../stores/site.ts'
import SecondsRuler from './SecondsRuler.vue'
import { siteScale } from './site-scale.ts'
import SelectField from '../ui/SelectField.vue'

/** The ruler at the top of a site's screens, with the page and the visitor it is about. */
const props = defineProps<{ site: Site }>()
const siteData = useSite()
/** Whether a phone shows the whole ruler. */
const whole = ref(false)

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
const pageNamed = computed(() => pageName(siteData.chosen?.path ?? props.site.sample[0]?.path ?? '/'))
const visitorNamed = computed(() => siteData.chosen?.visitorName ?? props.site.visitors[0]?.name ?? '')
const about = computed(() => `Time to the main content of ${pageNamed.value} as “${visitorNamed.value}”`)
/** What is known in a line: "origin 4.3 s, live 0.9 s". */
const inALine = computed(() => {
  const known = (['origin', 'live', 'trial'] as const).flatMap((side) => {
    const ms = lcp(side)
    return ms === null ? [] : [`${side} ${seconds(ms)}`]
  })
  return known.length > 0 ? known.join(', ') : 'not measured yet'
})
const lcp = (side: 'origin' | 'live' | 'trial'): number | null => siteData.chosen?.[side]?.medians.lcpMs ?? null
</script>

<template>
  <section class="site-ruler" aria-label="Seconds ruler">
    <!-- On a phone the ruler takes a line, and opens to the whole. -->
    <button type="button" class="line" :aria-expanded="whole" aria-controls="whole-ruler" @click="whole = !whole">
      <span
        >{{ pageNamed }} as “{{ visitorNamed }}”: <b v-if="siteData.loaded">{{ inALine }}</b></span
      >
      <SecondsRuler
        v-if="siteData.loaded"
        compact
        :scale="scale"
        :origin="lcp('origin')"
        :live="lcp('live')"
        :trial="lcp('trial')"
        :floor-ms="siteData.chosen?.floorMs ?? null"
        :about="about"
      />
    </button>
    <div id="whole-ruler" class="whole" :class="{ opened: whole }">
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
        :pending="!siteData.loaded"
        :about="about"
      />
    </div>
  </section>
</template>

<style scoped>
.site-ruler {
  padding: 0.9rem 1.4rem 0.5rem;
  background: rgb(var(--v-theme-surface));
  border-bottom: 1px solid rgb(var(--v-theme-line));
}
.whole {
  display: grid;
  grid-template-columns: 210px minmax(0, 1fr);
  gap: 1.4rem;
  align-items: start;
}
.choice {
  display: grid;
  gap: 0.7rem;
  padding-top: 0.3rem;
}
.line {
  display: none;
}
@media (max-width: 760px) {
  .site-ruler {
    padding: 0.4rem 0.9rem;
  }
  .line {
    display: grid;
    gap: 0.3rem;
    width: 100%;
    min-height: 44px;
    font: inherit;
    font-size: 0.88rem;
    text-align: left;
    color: inherit;
    cursor: pointer;
  }
  .whole {
    display: none;
    grid-template-columns: minmax(0, 1fr);
    gap: 0.6rem;
    padding-top: 0.8rem;
  }
  .whole.opened {
    display: grid;
  }
  .choice {
    grid-template-columns: 1fr 1.4fr;
  }
}
</style>
