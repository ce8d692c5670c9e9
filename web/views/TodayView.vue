<script setup lang="ts">
import { computed, onMounted } from 'vue'
import type { LatestResult } from '../../core/contracts/measurements.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { inSeconds } from '../../core/measuring/result-sentence.ts'
import { DEFAULT_RUNS } from '../../core/contracts/measurements.ts'
import { firstChoice } from '../../core/measuring/first-choice.ts'
import { planRuns } from '../../core/measuring/plan.ts'
import { useBaseline } from '../measure/baseline.ts'
import MessageList from '../measure/MessageList.vue'
import SecondsRuler from '../ruler/SecondsRuler.vue'
import { siteScale } from '../ruler/site-scale.ts'
import { useJobs } from '../stores/jobs.ts'
import { useSite } from '../stores/site.ts'
import { useProblems } from '../stores/problems.ts'
import NextStep from '../ui/NextStep.vue'
import { howMany, pageName, seconds, whole } from '../format/show.ts'

const props = defineProps<{ site: Site }>()
const siteData = useSite()
const problems = useProblems()
const jobs = useJobs()
onMounted(() => void problems.catching(() => siteData.loadTraffic()))

const scale = computed(() => siteScale(siteData.standings))
const rows = computed(() =>
  props.site.visitors.flatMap(({ id }) =>
    props.site.sample
      .map((page) => siteData.standings.find((one) => one.pageId === page.id && one.visitorId === id))
      .filter((one): one is LatestResult => one !== undefined),
  ),
)

const measured = computed(() => rows.value.length > 0)
const { starting, start } = useBaseline(() => props.site)
const busy = computed(() => jobs.openOf(props.site.id) !== undefined)
const first = computed(() => firstChoice(props.site, DEFAULT_RUNS))
/** What comes first on a site that nobody has measured. */
const opening = computed(() => {
  const { pageIds, visitorIds, runs } = first.value
  const loads = howMany(planRuns({ sides: ['origin'], pageIds, visitorIds, runs }).length, 'page load')
  const visitors = props.site.visitors.map(({ name }) => `“${name}”`).join(' and ')
  return `${props.site.name} has not been measured yet. Measure it before anything is changed: ${howMany(pageIds.length, 'page')} as ${visitors}, ${loads} from your server (origin).`
})

/** One sentence for each visitor about the first page of the sample: what the owner asks first. */
const sentences = computed(() =>
  props.site.visitors.map((visitor) => {
    const standing = rows.value.find(({ visitorId }) => visitorId === visitor.id)
    const now = standing?.live?.medians.lcpMs ?? null
    const before = standing?.origin?.medians.lcpMs ?? null
    if (standing === undefined || (now === null && before === null)) return `As “${visitor.name}”: not measured yet.`
    const shown = `${pageName(standing.path)} as “${visitor.name}”: main content after`
    if (now === null) return `${shown} ${inSeconds(before!)}, straight from your server (origin).`
    if (before === null) return `${shown} ${inSeconds(now)}.`
    const apart = standing.live?.measurementId !== standing.origin?.measurementId
    return `${shown} ${inSeconds(now)} (was ${inSeconds(before)} from your server, the origin${apart ? ', measured at another time' : ''}).`
  }),
)

const live = computed(() => siteData.traffic?.channels.find(({ channel }) => channel === 'live'))

interface Task {
  readonly what: string
  readonly why: string
  readonly to: { name: string; params: Record<string, string> }
  readonly action: string
}
/** What to do next, in the order of work. */
const tasks = computed<Task[]>(() => {
  const params = { siteId: props.site.id }
  const found: Task[] = []
  const changes = siteData.trial?.changes ?? []
  if (changes.length > 0)
    found.push({
      what: `Decide on the trial: ${changes.map(({ sentence }) => sentence.toLowerCase()).join(', ')}`,
      why: siteData.trial?.openEntryId
        ? 'It was retested: keep it or undo it.'
        : 'It has not been retested. No visitor sees it until you keep it.',
      to: { name: 'remedies', params },
      action: 'Look at the trial',
    })
  else if (siteData.standings.length > 0)
    found.push({
      what: 'Try the next remedy',
      why: 'One at a time, in the trial, where no visitor sees it.',
      to: { name: 'remedies', params },
      action: 'Open remedies',
    })
  return found
})
</script>

<template>
  <h1 class="visually-hidden">Today</h1>
  <div v-if="!siteData.loaded" class="to-come" role="status">
    <span class="visually-hidden">Loading …</span>
    <i v-for="line in 2" :key="line" class="bone" />
    <i class="bone tall" />
  </div>
  <NextStep
    v-else-if="!measured"
    :sentence="opening"
    action="Measure now"
    :under-way="starting"
    :disabled="busy"
    @go="start"
  >
    <v-btn :to="{ name: 'measure', params: { siteId: site.id } }">Choose what to measure …</v-btn>
    <v-btn :to="{ name: 'start', params: { siteId: site.id } }">Set-up guide</v-btn>
  </NextStep>
  <div v-else class="answer">
    <p v-for="sentence in sentences" :key="sentence">{{ sentence }}</p>
  </div>

  <template v-if="siteData.messages.some(({ read }) => !read)">
    <h2>Messages from the routine</h2>
    <MessageList :site="site" unread-only />
  </template>

  <h2 v-if="tasks.length > 0">What needs you</h2>
  <ul v-if="tasks.length > 0" class="tasks">
    <li v-for="task in tasks" :key="task.what" class="panel">
      <div>
        <strong>{{ task.what }}</strong>
        <p class="muted">{{ task.why }}</p>
      </div>
      <v-btn color="primary" variant="flat" :to="task.to">{{ task.action }}</v-btn>
    </li>
  </ul>

  <template v-if="rows.length > 0">
    <h2>All measured pages, by visitor</h2>
    <div class="scroll">
      <table class="figures">
        <caption class="visually-hidden">
          Time to the main content by page and visitor
        </caption>
        <thead>
          <tr>
            <th scope="col">Visitor</th>
            <th scope="col">Page</th>
            <th scope="col" class="num">Origin</th>
            <th scope="col" class="num">Live</th>
            <th scope="col" class="num">Trial</th>
            <th scope="col" class="num">Floor</th>
            <th scope="col" class="wide">0 to {{ scale.endMs / 1000 }} s</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.visitorId + row.pageId">
            <td>{{ row.visitorName }}</td>
            <th scope="row" class="page">
              <button type="button" @click="siteData.choose(row.pageId, row.visitorId)">
                {{ row.path === '/' ? 'Home page' : row.path }}
              </button>
            </th>
            <td class="num">{{ seconds(row.origin?.medians.lcpMs) }}</td>
            <td class="num">{{ seconds(row.live?.medians.lcpMs) }}</td>
            <td class="num">{{ seconds(row.trial?.medians.lcpMs) }}</td>
            <td class="num">{{ seconds(row.floorMs) }}</td>
            <td class="wide">
              <SecondsRuler
                compact
                :scale="scale"
                :origin="row.origin?.medians.lcpMs"
                :live="row.live?.medians.lcpMs"
                :trial="row.trial?.medians.lcpMs"
                :floor-ms="row.floorMs"
                :about="`${pageName(row.path)} as “${row.visitorName}”`"
              />
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </template>

  <template v-if="live && live.requests > 0">
    <h2>Visitors' requests since delivery started</h2>
    <p>
      {{ whole(live.requests) }} requests, {{ Math.round((100 * live.hits) / live.requests) }}% answered from the
      store<template v-if="live.pageVisits > 0"
        >, {{ whole((1000 * live.coldVisits) / live.pageVisits) }} cold visits per 1,000</template
      >. <router-link :to="{ name: 'store', params: { siteId: site.id } }">Open the Store</router-link>
    </p>
  </template>
</template>

<style scoped>
.to-come {
  display: grid;
  gap: 0.5rem;
}
.answer {
  font-size: 1.22rem;
  line-height: 1.4;
}
.answer p {
  margin: 0.15rem 0;
}
.tasks {
  list-style: none;
  padding: 0;
  display: grid;
  gap: 0.5rem;
}
.tasks li {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 1rem;
  flex-wrap: wrap;
}
.tasks p {
  margin: 0;
}
.wide {
  width: 40%;
  min-width: 200px;
}
.page button {
  font: inherit;
  font-weight: 500;
  font-size: 0.94rem;
  color: rgb(var(--v-theme-on-surface));
  cursor: pointer;
  text-decoration: underline dotted;
}
</style>
