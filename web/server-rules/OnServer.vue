<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { z } from 'zod'
import { FileConnectionInfo } from '../../core/contracts/file-connections.ts'
import { Job } from '../../core/contracts/jobs.ts'
import { Placing, Rehearsal, type Culprit, type RulesChoice } from '../../core/contracts/server-rules.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { rulesFileChecksum } from '../../core/server-rules/rules-file-text.ts'
import { callApi } from '../api/client.ts'
import { when } from '../format/show.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import ActionButton from '../ui/ActionButton.vue'
import NoteBox from '../ui/NoteBox.vue'
import FileConnectionForm from './FileConnectionForm.vue'
import RehearsalResult from './RehearsalResult.vue'

/** Rules are rehearsed, put on the web server of the site, and taken out again. */
const props = defineProps<{
  site: Site
  choice: RulesChoice
  /** The rules themselves. */
  rules: string
  /** The rules file as it is now. */
  present: string
  ready: boolean
}>()
const emit = defineEmits<{ leaveOut: [culprit: Culprit]; read: [text: string] }>()
const problems = useProblems()
const jobs = useJobs()

const rehearsals = shallowRef<readonly Rehearsal[]>([])
const placings = shallowRef<readonly Placing[]>([])
const connection = shallowRef<FileConnectionInfo | null>(null)
const underWay = ref<'' | 'rehearse' | 'read' | 'put' | 'take-out'>('')
const path = computed(() => `/sites/${props.site.id}/server-rules`)
const FILE = '.htaccess'

const load = async (): Promise<void> => {
  await problems.catching(async () => {
    rehearsals.value = await callApi('GET', `${path.value}/rehearsals`, z.array(Rehearsal))
    placings.value = await callApi('GET', `${path.value}/placings`, z.array(Placing))
    connection.value ??= await callApi('GET', `/sites/${props.site.id}/file-connection`, FileConnectionInfo)
  })
}
watch(() => props.site.id, load, { immediate: true })

const job = computed(() =>
  jobs.jobs.find(
    ({ siteId, kind, state }) =>
      siteId === props.site.id &&
      (kind === 'rehearsal' || kind === 'rules-placing') &&
      (state === 'queued' || state === 'running'),
  ),
)
/** What ends is looked at. */
watch(
  () => job.value?.id,
  async (_id, before) => {
    if (before === undefined) return
    const wasPlacing = jobs.jobs.find(({ id }) => id === before)?.kind === 'rules-placing'
    await load()
    // The file is another now.
    if (wasPlacing && isConnected.value) await read()
  },
)
const busy = computed(() => jobs.openOf(props.site.id) !== undefined)
const newest = computed(() =>
  rehearsals.value.find(({ state, choice }) => state === 'done' && choice.kind === props.choice.kind),
)
const placed = computed(() => placings.value.find(({ result }) => result !== null))
/** Whether what was rehearsed is what stands on the screen. */
const isCurrent = computed(
  () =>
    newest.value !== undefined &&
    newest.value.rules === props.rules &&
    newest.value.presentChecksum === rulesFileChecksum(props.present) &&
    JSON.stringify(newest.value.choice.wanted) === JSON.stringify(props.choice.wanted),
)
const isConnected = computed(() => connection.value?.trial?.outcome === 'good')
const mayPut = computed(
  () => isCurrent.value && newest.value?.result?.outcome === 'good' && isConnected.value && !busy.value,
)

const order = async (what: 'rehearse' | 'put' | 'take-out', address: string, body: unknown): Promise<void> => {
  underWay.value = what
  const ordered = await problems.catching(() => callApi('POST', address, Job, body))
  underWay.value = ''
  if (ordered !== undefined) jobs.take(ordered)
}
const rehearse = (fetching: 'allowed' | 'not-allowed'): Promise<void> =>
  order('rehearse', `${path.value}/rehearsals`, { choice: props.choice, present: props.present, fetching })
const put = (): Promise<void> =>
  order('put', `${path.value}/placings`, { action: 'put', rehearsalId: newest.value?.id, file: FILE })
const takeOut = (): Promise<void> => order('take-out', `${path.value}/placings`, { action: 'take-out', file: FILE })

const Present = z.object({ text: z.string().nullable() })
const read = async (): Promise<void> => {
  underWay.value = 'read'
  const file = await problems.catching(() => callApi('GET', `${path.value}/file?name=${FILE}`, Present))
  underWay.value = ''
  if (file !== undefined) emit('read', file.text ?? '')
}
/** What is there is read at once, unless the owner has given a file already. */
const take = async (changed: FileConnectionInfo): Promise<void> => {
  connection.value = changed
  if (isConnected.value && props.present === '') await read()
}
</script>

<template>
  <h3>Rehearse</h3>
  <p class="lead">
    {{ choice.kind === 'apache' ? 'Apache' : 'nginx' }} is started on this machine over a small copy of your pages and
    files, and asked for each with and without these rules. The present file is sent to Zest Lamp for that, and not
    saved.
  </p>
  <div class="bar">
    <ActionButton
      color="primary"
      variant="flat"
      :disabled="!ready || busy"
      :under-way="underWay === 'rehearse'"
      @click="rehearse('not-allowed')"
    >
      Rehearse these rules
    </ActionButton>
    <span v-if="job" class="muted small" role="status">{{ job.title }}: {{ job.now }}</span>
  </div>
  <RehearsalResult
    v-if="newest"
    :rehearsal="newest"
    @leave-out="emit('leaveOut', $event)"
    @fetch="rehearse('allowed')"
  />
  <p v-if="newest && !isCurrent" class="muted small">
    The rules or the present file have changed since this rehearsal. Rehearse again before you put them there.
  </p>

  <h3>On your server</h3>
  <template v-if="choice.kind === 'apache'">
    <p class="lead">
      Zest Lamp can read the file, put rehearsed rules into it and take them out again. A copy stays beside it. Your
      pages are asked before and after; if one answers otherwise, the file is put back at once.
    </p>
    <NoteBox v-if="placed?.result" :kind="placed.result.outcome === 'in-force' ? 'info' : 'warning'">
      <p role="status">{{ when(placed.at) }}: {{ placed.result.sentence }}</p>
      <p v-for="one in placed.result.missing" :key="one">{{ one }}</p>
      <p v-if="placed.result.backup" class="muted small">The copy beside it: {{ placed.result.backup }}</p>
    </NoteBox>
    <div class="bar">
      <ActionButton :disabled="!isConnected || busy" :under-way="underWay === 'read'" @click="read">
        Read the present file
      </ActionButton>
      <ActionButton color="primary" variant="flat" :disabled="!mayPut" :under-way="underWay === 'put'" @click="put">
        Put these rules there
      </ActionButton>
      <ActionButton :disabled="!isConnected || busy" :under-way="underWay === 'take-out'" @click="takeOut">
        Take them out
      </ActionButton>
    </div>
    <p class="muted small" role="status">
      {{ isConnected ? connection?.trial?.sentence : 'Say below how your files are reached.' }}
    </p>
  </template>
  <p v-else class="lead">
    A file for nginx belongs to the configuration of the whole server, and is in force only once nginx is told to read
    it again. Save it, or give it to whoever runs the server.
    <template v-if="choice.kind === 'nginx-site'"
      >Stored pages are written into the folder of your site all the same.</template
    >
  </p>
  <details v-if="connection && choice.kind !== 'nginx'" :open="!isConnected">
    <summary>How your files are reached</summary>
    <FileConnectionForm :site="site" :connection="connection" @changed="take" />
  </details>
</template>

<style scoped>
.lead {
  max-width: 48rem;
  margin: 0.2rem 0 0.6rem;
}
h3 {
  margin: 1.2rem 0 0;
}
.bar {
  margin: 0.6rem 0;
}
</style>
