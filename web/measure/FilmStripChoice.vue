<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { Run, type Measurement } from '../../core/contracts/measurements.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useSite } from '../stores/site.ts'
import { useProblems } from '../stores/problems.ts'
import FilmStrip from '../charts/FilmStrip.vue'
import SelectField from '../ui/SelectField.vue'

/** Filmstrips of all sides of one page as one visitor. */
const props = defineProps<{ measurement: Measurement; site: Site }>()
const siteData = useSite()
const problems = useProblems()

const looked = computed(() =>
  props.measurement.runs.filter(({ purpose, metrics }) => purpose === 'look' && metrics !== null),
)
const nameOf = (visitorId: string): string => props.site.visitors.find(({ id }) => id === visitorId)?.name ?? visitorId
const choices = computed(() => {
  const found = new Map(
    looked.value.map(({ pageId, visitorId, path }) => [
      `${pageId} ${visitorId}`,
      `${path === '/' ? 'Home page' : path} as “${nameOf(visitorId)}”`,
    ]),
  )
  return [...found].map(([value, title]) => ({ value, title }))
})
const chosen = ref<string | null>(null)
const key = computed(() => chosen.value ?? choices.value[0]?.value ?? null)
const runs = shallowRef<readonly Run[]>([])
const wanted = computed(() =>
  looked.value.filter(({ pageId, visitorId }) => `${pageId} ${visitorId}` === key.value).map(({ id }) => id),
)
watch(
  () => wanted.value.join(' '),
  async (ids) => {
    const loaded = await problems.catching(() =>
      Promise.all(
        wanted.value.map((id) =>
          callApi('GET', siteData.path(`/measurements/${props.measurement.id}/runs/${id}`), Run),
        ),
      ),
    )
    if (loaded === undefined || wanted.value.join(' ') !== ids) return
    const { sides } = props.measurement.order
    runs.value = loaded.toSorted((a, b) => sides.indexOf(a.side) - sides.indexOf(b.side))
  },
  { immediate: true },
)
</script>

<template>
  <SelectField
    v-if="choices.length > 1"
    :model-value="key"
    class="choice"
    label="Page and visitor"
    :items="choices"
    @update:model-value="(value: unknown) => (chosen = value as string)"
  />
  <FilmStrip :runs="runs" />
</template>

<style scoped>
.choice {
  max-width: 380px;
  margin-bottom: 0.7rem;
}
</style>
