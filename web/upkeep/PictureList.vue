<script setup lang="ts">
import { computed, defineAsyncComponent, ref, shallowRef, watch } from 'vue'
import {
  LibraryPicture,
  PicturePage,
  type PictureState,
  type PictureTreatment,
} from '../../core/contracts/picture-library.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { bytes, howMany } from '../format/show.ts'
import { useProblems } from '../stores/problems.ts'
import SelectField from '../ui/SelectField.vue'

/** Pictures of the library with before, after and saving, fifty at a time. */
const props = defineProps<{
  site: Site
  /** Counts up when the list may have changed. */
  turn: number
}>()
const emit = defineEmits<{ changed: [] }>()
const PictureCompare = defineAsyncComponent(() => import('./PictureCompare.vue'))
const problems = useProblems()
const PAGE = 50
const STATES: { value: PictureState | null; title: string }[] = [
  { value: null, title: 'All pictures' },
  { value: 'found', title: 'Waiting' },
  { value: 'lighter', title: 'Made lighter' },
  { value: 'no-gain', title: 'As light as they get' },
  { value: 'left-alone', title: 'Left alone' },
  { value: 'left-out', title: 'Left out by you' },
  { value: 'failed', title: 'Cannot be read' },
]
const SORTS = [
  { value: 'saving', title: 'Saving' },
  { value: 'bytes', title: 'Size' },
  { value: 'path', title: 'Address' },
] as const
const state = ref<PictureState | null>(null)
const sort = ref<(typeof SORTS)[number]['value']>('saving')
const search = ref('')
const offset = ref(0)
const page = shallowRef<PicturePage | null>(null)
const comparedId = ref<string | null>(null)
const compared = computed(() =>
  page.value?.pictures.find(({ id, variants }) => id === comparedId.value && variants.length > 0),
)

let asked = 0
const load = async (): Promise<void> => {
  const own = ++asked
  const query = new URLSearchParams({ sort: sort.value, offset: String(offset.value), search: search.value })
  if (state.value !== null) query.set('state', state.value)
  const came = await problems.catching(() =>
    callApi('GET', `/sites/${props.site.id}/pictures/list?${query.toString()}`, PicturePage),
  )
  // An answer that was overtaken by a later question is of no use.
  if (came !== undefined && own === asked) page.value = came
}
watch([state, sort, search], () => (offset.value = 0))
watch([state, sort, search, offset, () => props.turn], load, { immediate: true })

const treat = async ({ id }: LibraryPicture, treatment: PictureTreatment): Promise<void> => {
  const done = await problems.catching(() =>
    callApi('PUT', `/sites/${props.site.id}/pictures/${id}`, LibraryPicture, { treatment }),
  )
  if (done !== undefined) emit('changed')
}
const shownAt = ({ shown }: LibraryPicture): string => {
  const widths = [
    shown.phone === null ? '' : `phone ${shown.phone}`,
    shown.laptop === null ? '' : `laptop ${shown.laptop}`,
  ]
  return widths.filter(Boolean).join(', ')
}
const FORMS = { avif: 'AVIF', webp: 'WebP', jpeg: 'JPEG', png: 'PNG', gif: 'GIF' } as const
const formOf = ({ form }: LibraryPicture): string => (form === null ? '' : FORMS[form])
const saved = ({ bytes: before, variants }: LibraryPicture): string => {
  const after = variants[0]?.bytes
  return after === undefined ? '' : `${Math.round((100 * (before - after)) / before)}%`
}
const stateName = (one: LibraryPicture): string => STATES.find(({ value }) => value === one.state)?.title ?? ''
const last = computed(() => Math.min(offset.value + PAGE, page.value?.matches ?? 0))
</script>

<template>
  <h2>Pictures</h2>
  <form class="filter" @submit.prevent>
    <SelectField v-model="state" :items="STATES" label="Show" />
    <SelectField v-model="sort" :items="SORTS" label="Order by" />
    <v-text-field v-model="search" label="Part of the address" type="search" hide-details />
  </form>
  <PictureCompare
    v-if="compared"
    :key="compared.id"
    :site="site"
    :picture="compared"
    @treat="treat(compared, $event)"
    @closed="comparedId = null"
  />
  <p v-if="page && page.matches === 0" role="status" class="muted">No matches</p>
  <div v-else-if="page" class="scroll" tabindex="0" role="group" aria-label="Pictures">
    <table class="figures">
      <thead>
        <tr>
          <th scope="col">Picture</th>
          <th scope="col" class="num">Pixels</th>
          <th scope="col">Seen, CSS px</th>
          <th scope="col" class="num">Before</th>
          <th scope="col" class="num">After</th>
          <th scope="col" class="num">Saved</th>
          <th scope="col">State</th>
          <th scope="col"><span class="visually-hidden">Actions</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in page.pictures" :key="one.id">
          <td class="path">
            {{ one.path }}
            <span v-if="one.pages.length > 0" class="muted small"
              >on {{ one.pages[0] }}<template v-if="one.pages.length > 1"> and others</template></span
            >
          </td>
          <td class="num">{{ one.width === 0 ? '' : `${one.width} × ${one.height}` }}</td>
          <td>{{ shownAt(one) }}</td>
          <td class="num">{{ bytes(one.bytes) }} {{ formOf(one) }}</td>
          <td class="num">
            <template v-if="one.variants[0]"
              >{{ bytes(one.variants[0].bytes) }} {{ FORMS[one.variants[0].form] }}</template
            >
          </td>
          <td class="num">{{ saved(one) }}</td>
          <td>
            {{ stateName(one) }}
            <span v-if="one.reason" class="muted small reason">{{ one.reason }}</span>
          </td>
          <td class="acts">
            <v-btn
              v-if="one.variants.length > 0"
              size="small"
              :aria-expanded="comparedId === one.id"
              :aria-label="`Compare ${one.path}`"
              @click="comparedId = comparedId === one.id ? null : one.id"
              >Compare</v-btn
            >
            <v-btn
              v-if="one.state === 'left-out'"
              size="small"
              :aria-label="`Take in ${one.path}`"
              @click="treat(one, 'as-planned')"
              >Take in</v-btn
            >
            <v-btn v-else size="small" :aria-label="`Leave out ${one.path}`" @click="treat(one, 'leave-out')"
              >Leave out</v-btn
            >
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <p v-if="page && page.matches > PAGE" class="bar">
    <v-btn size="small" :disabled="offset === 0" @click="offset -= PAGE">Before</v-btn>
    <span>{{ offset + 1 }} to {{ last }} of {{ howMany(page.matches, 'picture') }}</span>
    <v-btn size="small" :disabled="last >= page.matches" @click="offset += PAGE">Next</v-btn>
  </p>
</template>

<style scoped>
.filter {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 14rem), 1fr));
  gap: 0.7rem;
  margin: 0.7rem 0;
}
.scroll {
  overflow-x: auto;
}
.path {
  min-width: 14rem;
  overflow-wrap: anywhere;
}
.path span,
.reason {
  display: block;
}
.reason {
  min-width: 12rem;
}
.acts {
  white-space: nowrap;
}
.acts .v-btn + .v-btn {
  margin-left: 0.4rem;
}
</style>
