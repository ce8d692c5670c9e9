<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { Job } from '../../core/contracts/jobs.ts'
import { ServerPages, type ServerPagesOrder } from '../../core/contracts/server-pages.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { bytes, howMany, when } from '../format/show.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import ActionButton from '../ui/ActionButton.vue'
import NoteBox from '../ui/NoteBox.vue'
import SelectField from '../ui/SelectField.vue'

/** Pages of the site as files on its web server, for the rules that hand them out. */
const props = defineProps<{ site: Site }>()
const problems = useProblems()
const jobs = useJobs()
const path = computed(() => `/sites/${props.site.id}/server-pages`)
const pages = shallowRef<ServerPages | null>(null)
const load = async (): Promise<void> => {
  const came = await problems.catching(() => callApi('GET', path.value, ServerPages))
  if (came !== undefined) pages.value = came
}
watch(() => props.site.id, load, { immediate: true })

const job = computed(() => jobs.open.find(({ siteId, kind }) => siteId === props.site.id && kind === 'server-pages'))
watch(
  () => job.value?.id,
  (_id, before) => (before === undefined ? undefined : load()),
)
const underWay = ref<ServerPagesOrder['what'] | ''>('')
const order = async (what: ServerPagesOrder['what']): Promise<void> => {
  underWay.value = what
  const ordered = await problems.catching(() => callApi('POST', `${path.value}/runs`, Job, { what }))
  underWay.value = ''
  if (ordered !== undefined) jobs.take(ordered)
}

const EVERY = [
  { value: 'never', title: 'only on demand' },
  { value: '15', title: 'every 15 minutes' },
  { value: '60', title: 'every hour' },
  { value: '360', title: 'every 6 hours' },
  { value: '1440', title: 'every day' },
]
const every = computed({
  get: () => String(pages.value?.settings.everyMinutes ?? 'never'),
  set: (value) => {
    const settings = { ...pages.value?.settings, everyMinutes: value === 'never' ? null : Number(value) }
    void problems
      .catching(() => callApi('PUT', path.value, ServerPages, settings))
      .then((came) => (pages.value = came ?? pages.value))
  },
})
const state = computed(() => {
  if (pages.value === null) return ''
  const { files, bytes: size, goodUntil } = pages.value
  if (files === 0) return 'No pages are stored there yet, so the rules change nothing for visitors.'
  return `${howMany(files, 'page')} stored there, ${bytes(size)} in all. If Zest Lamp stops renewing them, your server uses them until the end of ${goodUntil ?? 'today'}.`
})
</script>

<template>
  <section class="stored">
    <h3>Stored pages</h3>
    <p class="lead">
      Zest Lamp requests your pages as a signed-out visitor and writes them into the folder
      <code>zest-pages</code> of your site. The rules then have your server send the file instead of running the content
      system: only for visitors without cookies of their own, and only for addresses that may be stored. When Zest Lamp
      learns of a change, it writes the files again.
    </p>
    <p role="status">{{ state }}</p>
    <NoteBox v-if="pages?.last" :kind="pages.last.problem === null ? 'info' : 'warning'">
      <p>
        {{ when(pages.last.at) }}: {{ howMany(pages.last.written, 'page') }} written,
        {{ pages.last.unchanged }} unchanged, {{ pages.last.removed }} removed.<template v-if="pages.last.problem">
          {{ pages.last.problem }}</template
        >
      </p>
      <details v-if="pages.last.left.length > 0">
        <summary>Left to the content system: {{ pages.last.left.length }}</summary>
        <ul>
          <li v-for="one in pages.last.left" :key="one.path">
            <code>{{ one.path }}</code> {{ one.why }}
          </li>
        </ul>
      </details>
    </NoteBox>
    <div class="bar">
      <ActionButton :disabled="job !== undefined" :under-way="underWay === 'write'" @click="order('write')">
        Write the pages now
      </ActionButton>
      <ActionButton
        v-if="pages !== null && pages.files > 0"
        :disabled="job !== undefined"
        :under-way="underWay === 'remove'"
        @click="order('remove')"
      >
        Remove them
      </ActionButton>
      <span v-if="job" class="muted small" role="status">{{ job.title }}: {{ job.now }}</span>
    </div>
    <SelectField v-model="every" :items="EVERY" label="Compare them with the site" class="every" />
  </section>
</template>

<style scoped>
h3 {
  margin: 1.2rem 0 0;
}
.lead {
  max-width: 48rem;
  margin: 0.2rem 0 0.6rem;
}
.bar {
  margin: 0.6rem 0;
}
.every {
  max-width: 20rem;
}
ul {
  margin: 0.2rem 0;
  padding-left: 1.2rem;
}
</style>
