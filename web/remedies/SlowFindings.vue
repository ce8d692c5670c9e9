<script setup lang="ts">
import { computed } from 'vue'
import type { Findings } from '../../core/contracts/findings.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { remedyName } from '../../core/catalogue/remedy-names.ts'
import { median } from '../../core/stats/median.ts'
import { rulerScale } from '../ruler/scale.ts'
import SecondsRuler from '../ruler/SecondsRuler.vue'
import { gainOf } from '../stores/findings.ts'
import { seconds, when } from '../format/show.ts'
import PredictedGains from './PredictedGains.vue'

/** What makes the site slow, the most seconds first, each with the remedies that answer it. */
const props = defineProps<{ site: Site; findings: Findings }>()
defineEmits<{ open: [remedy: string] }>()

const looked = computed(() => props.findings.looks.map(({ visitorId }) => visitorId))
/** Phone before laptop: search engines judge the phone. */
const visitor = computed(() => props.site.visitors.find(({ id }) => looked.value.includes(id)))
const own = computed(() => props.findings.looks.filter(({ visitorId }) => visitorId === visitor.value?.id))
const now = computed(() => (own.value.length === 0 ? null : median(own.value.map((look) => look.now.lcpMs))))
const best = computed(() => (own.value.length === 0 ? null : median(own.value.map((look) => look.withAll.lcpMs))))
const scale = computed(() => rulerScale([now.value]))
const pages = computed(() => [
  ...new Set(props.findings.looks.map(({ path }) => (path === '/' ? 'the home page' : path))),
])
const newest = computed(() =>
  props.findings.looks
    .map(({ at }) => at)
    .sort()
    .at(-1),
)
const after = (gains: Findings['findings'][number]['gains']): number | null => {
  const gain = visitor.value === undefined ? null : gainOf(gains, visitor.value.id, 'lcpMs')
  return gain === null || now.value === null ? null : Math.max(0, now.value - gain)
}
</script>

<template>
  <section aria-labelledby="slow">
    <h2 id="slow">What is slow</h2>
    <p v-if="findings.looks.length === 0" class="panel">
      Nothing has been measured yet.
      <RouterLink :to="{ name: 'measure', params: { siteId: site.id } }">Measure</RouterLink> a few pages first: every
      measurement ends with a detailed load from which this list is made.
    </p>
    <template v-else>
      <p class="muted small intro">
        From {{ pages.join(', ') }}, measured {{ when(newest!) }}. Each gain is predicted by the load model on its own;
        on the ruler, {{ visitor?.name }}: <b>{{ seconds(now) }}</b> now, <b>{{ seconds(best) }}</b> predicted with
        everything.
      </p>
      <div class="scroll">
        <table class="figures">
          <thead>
            <tr>
              <th scope="col">Finding and evidence</th>
              <th scope="col" class="axis">{{ visitor?.name }}: now and without it</th>
              <th scope="col">Predicted gain</th>
              <th scope="col">Remedy</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="finding in findings.findings" :key="finding.id">
              <th scope="row">
                {{ finding.title }}
                <span class="small muted evidence">{{ finding.evidence }}</span>
              </th>
              <td class="axis">
                <SecondsRuler
                  compact
                  :scale="scale"
                  :live="now"
                  :trial="after(finding.gains)"
                  :about="`${finding.title}: time to the main content now and without it`"
                />
              </td>
              <td><PredictedGains :site="site" :gains="finding.gains" /></td>
              <td>
                <a
                  v-for="remedy in finding.remedies"
                  :key="remedy"
                  :href="`#remedy-${remedy}`"
                  class="answer"
                  @click.prevent="$emit('open', remedy)"
                  >{{ remedyName(remedy) }}</a
                >
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <template v-if="findings.limits.length > 0">
        <h3>What Zest Lamp cannot fix</h3>
        <ul class="limits">
          <li v-for="limit in findings.limits" :key="limit.title">
            <b>{{ limit.title }}</b> (about {{ Math.round(limit.share * 100) }}%). {{ limit.sentence }}
          </li>
        </ul>
      </template>
    </template>
  </section>
</template>

<style scoped>
.intro {
  max-width: none;
  margin: 0 0 0.4rem;
}
th[scope='row'] {
  font-weight: 600;
  white-space: normal;
  text-align: left;
  width: 33%;
  min-width: 240px;
}
.evidence {
  display: block;
  font-weight: 400;
  overflow-wrap: anywhere;
}
.axis {
  width: 20%;
  min-width: 150px;
}
.answer {
  margin-left: 0.8rem;
  display: block;
  padding: 0.1rem 0;
}
h3 {
  margin: 0.9rem 0 0.2rem;
}
.limits {
  padding-left: 1.1rem;
  max-width: 76ch;
}
</style>
