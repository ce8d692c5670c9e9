<script setup lang="ts">
import ActionButton from '../ui/ActionButton.vue'
import { computed, ref, shallowRef, watch } from 'vue'
import { z } from 'zod'
import { AccessLogResult, KnownPage, Site, type SampleCandidate } from '../../core/contracts/sites.ts'
import { addressPattern } from '../../core/sampling/page-kinds.ts'
import { callApi } from '../api/client.ts'
import { useProblems } from '../stores/problems.ts'
import { useSaving } from '../stores/saving.ts'
import { whole } from '../format/show.ts'

/** Which pages stand for the site. */
const props = defineProps<{ site: Site }>()
const problems = useProblems()
const pages = ref<SampleCandidate[]>([])
const reset = (): void => void (pages.value = props.site.sample.map(({ path, kind }) => ({ path, kind })))
watch(() => props.site.sample, reset, { immediate: true })

const search = ref('')
const known = shallowRef<readonly KnownPage[]>([])
const path = (rest: string): string => `/sites/${props.site.id}${rest}`
const look = async (): Promise<void> => {
  const text = search.value
  const found = await problems.catching(() =>
    callApi('GET', path(`/pages?search=${encodeURIComponent(text)}`), z.array(KnownPage)),
  )
  if (found !== undefined && text === search.value) known.value = found
}
watch(search, () => void look(), { immediate: true })
const SHOWN = 12
const offered = computed(() =>
  known.value.filter((one) => !pages.value.some((page) => page.path === one.path)).slice(0, SHOWN),
)
const add = (page: SampleCandidate): void => void pages.value.push({ path: page.path, kind: page.kind })
const typed = computed(() =>
  search.value.startsWith('/') && !known.value.some((one) => one.path === search.value) ? search.value : null,
)

/** Newest lines are at the end; more than this is not sent. */
const MOST_LOG = 30_000_000
const log = ref<AccessLogResult | null>(null)
const reading = ref(false)
const takeLog = async (event: Event): Promise<void> => {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (file === undefined) return
  reading.value = true
  const text = await file.slice(Math.max(0, file.size - MOST_LOG)).text()
  const found = await problems.catching(() => callApi('POST', path('/access-log'), AccessLogResult, { text }))
  reading.value = false
  if (found === undefined) return
  log.value = found
  await look()
}
const changed = computed(
  () =>
    JSON.stringify(pages.value) !==
    JSON.stringify(props.site.sample.map((one) => ({ path: one.path, kind: one.kind }))),
)
const { saving, save } = useSaving(async () => {
  await callApi('PUT', path('/sample'), Site, pages.value)
})
</script>

<template>
  <form class="columns" @submit.prevent="save">
    <div>
      <div class="scroll">
        <table class="figures">
          <caption class="visually-hidden">
            Sample pages
          </caption>
          <thead>
            <tr>
              <th scope="col">Page</th>
              <th scope="col">Kind</th>
              <th scope="col"><span class="visually-hidden">Remove</span></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(page, index) in pages" :key="page.path">
              <th scope="row">
                <code>{{ page.path }}</code>
              </th>
              <td>{{ page.kind }}</td>
              <td class="num">
                <v-btn
                  size="x-small"
                  :disabled="pages.length === 1"
                  :aria-label="`Remove ${page.path}`"
                  @click="pages.splice(index, 1)"
                  >Remove</v-btn
                >
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <div class="bar end">
        <v-btn type="button" :disabled="!changed" @click="reset">Undo changes</v-btn>
        <ActionButton type="submit" color="primary" variant="flat" :disabled="!changed" :under-way="saving"
          >Save pages</ActionButton
        >
      </div>
    </div>
    <div>
      <v-text-field v-model="search" label="Search for a page, or enter its path" placeholder="/timetables" clearable />
      <div class="scroll">
        <table class="figures">
          <caption class="visually-hidden">
            Pages that could be added
          </caption>
          <tbody>
            <tr v-if="typed">
              <th scope="row">
                <code>{{ typed }}</code>
              </th>
              <td>by hand</td>
              <td class="num">–</td>
              <td class="num">
                <v-btn
                  size="x-small"
                  :aria-label="`Add ${typed}`"
                  @click="add({ path: typed, kind: addressPattern(typed) })"
                  >Add</v-btn
                >
              </td>
            </tr>
            <tr v-for="page in offered" :key="page.path">
              <th scope="row">
                <code>{{ page.path }}</code>
              </th>
              <td>{{ page.kind }}</td>
              <td class="num">{{ page.visits === null ? '' : `${whole(page.visits)} visits` }}</td>
              <td class="num">
                <v-btn size="x-small" :aria-label="`Add ${page.path}`" @click="add(page)">Add</v-btn>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <label class="log small">
        Most visited first: import an access log (Common or Combined Log Format)
        <input type="file" :disabled="reading" @change="takeLog" />
      </label>
      <p v-if="log" class="small" role="status">
        {{ whole(log.understood) }} of {{ whole(log.lines) }} lines understood, {{ whole(log.pages) }} pages. Most
        visited of each kind:
        <template v-for="(page, index) in log.suggested" :key="page.path"
          >{{ index > 0 ? ', ' : '' }}<code>{{ page.path }}</code></template
        >.
        <v-btn size="x-small" @click="pages = log.suggested.map(({ path: one, kind }) => ({ path: one, kind }))"
          >Use these</v-btn
        >
      </p>
    </div>
  </form>
</template>

<style scoped>
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 1.2rem;
}
.end {
  margin-top: 0.7rem;
}
.scroll {
  margin-top: 0.6rem;
}
.log {
  display: grid;
  gap: 0.2rem;
  margin: 0.7rem 0;
}
@media (max-width: 1000px) {
  .columns {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
