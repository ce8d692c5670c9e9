<script setup lang="ts">
import { computed, ref } from 'vue'
import { PurgeResult, type PurgeManner, type PurgeWhat } from '../../core/contracts/delivery.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useProblems } from '../stores/problems.ts'
import { howMany } from '../format/show.ts'
import SelectField from '../ui/SelectField.vue'

/** Purge by name, prefix or pattern, or everything; hard, or softly so that no visitor waits. */
const props = defineProps<{ site: Site }>()
const emit = defineEmits<{ changed: [] }>()
const problems = useProblems()

const KINDS = [
  { value: 'paths', title: 'These addresses' },
  { value: 'dependants', title: 'Pages that link to these addresses' },
  { value: 'prefix', title: 'Addresses starting with' },
  { value: 'pattern', title: 'Addresses matching a pattern' },
  { value: 'groups', title: 'Groups' },
  { value: 'everything', title: 'Everything' },
] as const
const ASKED = {
  paths: { label: 'Paths, one per line; addresses with a query are included', example: '/notices/later-first-sailing' },
  dependants: {
    label: 'Changed paths, one per line; stored pages that link to them are purged',
    example: '/notices/later-first-sailing',
  },
  prefix: { label: 'Beginning', example: '/stories/' },
  pattern: { label: 'Pattern; * stands for any characters', example: '/stories/*' },
  groups: { label: 'Groups, one per line, as your site names them in Cache-Groups', example: 'timetables' },
} as const
const MANNERS = [
  { value: 'hard', title: 'Remove: the next visitor waits for your server (origin)' },
  {
    value: 'soft',
    title: 'Mark stale: visitors get the old copy, if stale copies are allowed, while a new one is fetched',
  },
] as const
const kind = ref<PurgeWhat['kind']>('paths')
const text = ref('')
const manner = ref<PurgeManner>('hard')
const done = ref('')
const lines = computed(() =>
  text.value
    .split('\n')
    .map((line) => line.trim())
    .filter((line) => line !== ''),
)
const complete = computed(() => kind.value === 'everything' || lines.value.length > 0)

const what = (): PurgeWhat => {
  switch (kind.value) {
    case 'everything':
      return { kind: 'everything' }
    case 'paths':
      return { kind: 'paths', paths: lines.value }
    case 'dependants':
      return { kind: 'dependants', of: lines.value }
    case 'prefix':
      return { kind: 'prefix', prefix: lines.value[0]! }
    case 'pattern':
      return { kind: 'pattern', pattern: lines.value[0]! }
    case 'groups':
      return { kind: 'groups', groups: lines.value }
  }
}
const purge = async (): Promise<void> => {
  const order = { ...what(), manner: manner.value }
  const result = await problems.catching(() => callApi('POST', `/sites/${props.site.id}/purges`, PurgeResult, order))
  if (result === undefined) return
  done.value = `${howMany(result.purged, 'stored response')} ${manner.value === 'soft' ? 'marked stale' : 'removed'}.`
  emit('changed')
}
</script>

<template>
  <form class="purge" @submit.prevent="purge">
    <SelectField v-model="kind" :items="KINDS" label="What to purge" />
    <v-textarea
      v-if="kind !== 'everything'"
      v-model="text"
      :rows="kind === 'prefix' || kind === 'pattern' ? 1 : 3"
      auto-grow
      :label="ASKED[kind].label"
      :placeholder="ASKED[kind].example"
    />
    <v-radio-group v-model="manner" hide-details density="compact" label="How">
      <v-radio v-for="one in MANNERS" :key="one.value" :value="one.value" :label="one.title" />
    </v-radio-group>
    <p class="muted small">
      Purges live and trial. A response on its way for the same address is delivered but not stored.
    </p>
    <div class="bar">
      <v-btn type="submit" color="primary" variant="flat" :disabled="!complete">Purge</v-btn>
      <span role="status">{{ done }}</span>
    </div>
  </form>
</template>

<style scoped>
.purge {
  max-width: 640px;
  display: grid;
  gap: 0.8rem;
}
</style>
