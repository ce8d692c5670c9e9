<script setup lang="ts">
import { computed, defineAsyncComponent, ref, shallowRef, watch } from 'vue'
import { useRoute } from 'vue-router'
import { z } from 'zod'
import { CleanUp, Survey, UpkeepPlan, type CleanUpOrder } from '../../core/contracts/clean-up.ts'
import { BackupsInfo, type Backup } from '../../core/contracts/database-backups.ts'
import { DatabaseConnectionInfo } from '../../core/contracts/site-databases.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useProblems } from '../stores/problems.ts'
import { useUpkeepWork } from '../upkeep/upkeep-work.ts'

/** What keeps a site lean over the years: its pictures, and its database with backups and a way back. */
const props = defineProps<{ site: Site }>()
const problems = useProblems()
const SECTIONS = [
  { id: 'pictures', title: 'Pictures' },
  { id: 'groups', title: 'Database' },
  { id: 'backups', title: 'Backups' },
  { id: 'connection', title: 'Database connection' },
  { id: 'calendar', title: 'Calendar' },
  { id: 'habits', title: 'Other habits' },
] as const
type Section = (typeof SECTIONS)[number]['id']
const section = ref<Section>(SECTIONS.find(({ id }) => id === useRoute()?.query['part'])?.id ?? 'pictures')

const DatabaseConnection = defineAsyncComponent(() => import('../upkeep/DatabaseConnection.vue'))
const BackupsPanel = defineAsyncComponent(() => import('../upkeep/BackupsPanel.vue'))
const PicturesPanel = defineAsyncComponent(() => import('../upkeep/PicturesPanel.vue'))
const CalendarPanel = defineAsyncComponent(() => import('../upkeep/CalendarPanel.vue'))
const HabitsPanel = defineAsyncComponent(() => import('../upkeep/HabitsPanel.vue'))
const GroupsPanel = defineAsyncComponent(() => import('../upkeep/GroupsPanel.vue'))

const connection = shallowRef<DatabaseConnectionInfo | null>(null)
const backups = shallowRef<BackupsInfo | null>(null)
const survey = shallowRef<Survey | null>(null)
const cleanUps = shallowRef<readonly CleanUp[]>([])
const plan = shallowRef<UpkeepPlan | null>(null)
const path = (rest: string): string => `/sites/${props.site.id}/database/${rest}`

const load = async (): Promise<void> => {
  await problems.catching(async () => {
    ;[backups.value, survey.value, cleanUps.value, plan.value, connection.value] = await Promise.all([
      callApi('GET', path('backups'), BackupsInfo),
      callApi('GET', path('survey'), z.object({ survey: Survey.nullable() })).then((came) => came.survey),
      callApi('GET', path('clean-ups'), z.array(CleanUp)),
      plan.value ?? callApi('GET', path('plan'), UpkeepPlan),
      callApi('GET', path('connection'), DatabaseConnectionInfo),
    ])
  })
}
watch(
  () => props.site.id,
  async () => {
    plan.value = null
    await load()
  },
  { immediate: true },
)
const { job, order, ordering } = useUpkeepWork(() => props.site.id, load)
/** How far a clean-up is stands in its own list too. */
watch(
  () => job.value?.now,
  () => {
    if (job.value?.kind === 'clean-up')
      void callApi('GET', path('clean-ups'), z.array(CleanUp)).then(
        (came) => (cleanUps.value = came),
        () => undefined,
      )
  },
)
const savePlan = async (changed: UpkeepPlan): Promise<void> => {
  plan.value = changed
  await problems.catching(() => callApi('PUT', path('plan'), UpkeepPlan, changed))
}
const FRESH_MS = 24 * 3_600_000
const hindrance = computed(() => {
  if (connection.value?.allows !== 'clean-up') return 'You have allowed reading only: allow clean-ups under Connection.'
  const [newest] = backups.value?.backups ?? []
  if (newest?.stage !== 'proved' || Date.now() - Date.parse(newest.at) > FRESH_MS)
    return 'Nothing is removed without a backup of the last 24 hours that was proved to restore: make one under Backups.'
  return null
})
const cleanUp = (chosen: Pick<CleanUpOrder, 'groups' | 'start' | 'loads'>): Promise<void> =>
  order('clean-up', 'clean-ups', { ...chosen, schemaDigest: survey.value?.result?.schemaDigest })
const restoreAll = (backup: Backup, database: string): Promise<void> =>
  order('restore', 'restores', { what: 'everything', backupId: backup.id, database })
</script>

<template>
  <h1>Upkeep</h1>
  <p>
    A site grows heavier unnoticed: pictures larger than anybody sees, and a database full of revisions, trash and spam.
    Here both become lean again, in quiet hours and with a way back.
  </p>
  <div class="bar tabs" role="tablist" aria-label="Parts of upkeep">
    <v-btn
      v-for="one in SECTIONS"
      :id="`tab-${one.id}`"
      :key="one.id"
      role="tab"
      size="small"
      :variant="section === one.id ? 'flat' : 'outlined'"
      :color="section === one.id ? 'primary' : undefined"
      :aria-selected="section === one.id"
      aria-controls="upkeep-part"
      @click="section = one.id"
      >{{ one.title }}</v-btn
    >
  </div>
  <div id="upkeep-part" role="tabpanel" :aria-labelledby="`tab-${section}`">
    <PicturesPanel v-if="section === 'pictures'" :key="site.id" :site="site" />
    <CalendarPanel v-else-if="section === 'calendar'" :key="`calendar-${site.id}`" :site="site" />
    <i
      v-else-if="connection === null || backups === null || plan === null"
      class="bone tall"
      role="status"
      aria-label="Loading"
    />
    <HabitsPanel
      v-else-if="section === 'habits'"
      :site="site"
      :answers="plan.answers"
      @answered="plan = { ...plan, answers: $event }"
    />
    <DatabaseConnection
      v-else-if="section === 'connection'"
      :key="site.id"
      :site="site"
      :connection="connection"
      @changed="connection = $event"
    />
    <p v-else-if="connection.place === null">
      The database is not connected yet. <v-btn size="small" @click="section = 'connection'">Connect it</v-btn>
    </p>
    <BackupsPanel
      v-else-if="section === 'backups'"
      :site="site"
      :backups="backups"
      :plan="plan"
      :busy="job !== undefined"
      :ordering="ordering"
      @placed="backups = { ...backups, place: $event }"
      @order="order('backup', 'backups')"
      @restore="restoreAll"
      @media="order('restore', 'restores', { what: 'media' })"
      @plan="savePlan"
    />
    <GroupsPanel
      v-else
      :site="site"
      :survey="survey"
      :plan="plan"
      :clean-ups="cleanUps"
      :hindrance="hindrance"
      :busy="job !== undefined"
      :ordering="ordering"
      @survey="order('survey', 'survey')"
      @plan="savePlan"
      @clean-up="cleanUp"
      @restore="order('restore', 'restores', { what: 'clean-up', cleanUpId: $event })"
    />
  </div>
</template>

<style scoped>
.tabs {
  margin: 0.6rem 0;
}
</style>
