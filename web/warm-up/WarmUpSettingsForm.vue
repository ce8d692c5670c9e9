<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Site } from '../../core/contracts/sites.ts'
import { WarmUpSettings, WarmUpState } from '../../core/contracts/warm-up.ts'
import { callApi } from '../api/client.ts'
import { useSaving } from '../stores/saving.ts'
import ActionButton from '../ui/ActionButton.vue'
import CheckList from '../ui/CheckList.vue'
import SelectField from '../ui/SelectField.vue'
import { ROUND_INTERVALS } from './round-intervals.ts'

/** What is loaded, how fast, and when. */
const props = defineProps<{ site: Site; state: WarmUpState }>()
const emit = defineEmits<{ saved: [state: WarmUpState] }>()

const copy = (): WarmUpSettings => WarmUpSettings.parse(JSON.parse(JSON.stringify(props.state.settings)))
const settings = ref(copy())
const lines = ref(settings.value.addresses.join('\n'))
const limited = ref(settings.value.hours !== null)
const from = ref(settings.value.hours?.from ?? 22)
const to = ref(settings.value.hours?.to ?? 6)
watch(
  () => props.state.settings,
  () => {
    settings.value = copy()
    lines.value = settings.value.addresses.join('\n')
  },
)

const DAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday']
const SOURCES = [
  { key: 'sitemap', label: 'Pages of the sitemap' },
  { key: 'links', label: 'Pages that links lead to, if there is no sitemap' },
  { key: 'visited', label: 'Pages that visitors ask for most, counted here or in an access log' },
] as const
const OCCASIONS = [
  { key: 'beforeExpiry', label: 'Before pages expire that somebody is likely to ask for' },
  { key: 'afterChanges', label: 'After a purge or a change of content' },
  { key: 'afterPublishing', label: 'After a new version goes live' },
  { key: 'atStart', label: 'When Zest Lamp starts' },
] as const
const kinds = computed(() => [...new Set([...props.state.kinds, ...settings.value.leftOutKinds])].sort())
const hours = Array.from({ length: 25 }, (_, hour) => ({ value: hour, title: `${String(hour).padStart(2, '0')}:00` }))
const wanted = computed(() => ({
  ...settings.value,
  addresses: lines.value
    .split('\n')
    .map((line) => line.trim())
    .filter((line) => line !== ''),
  hours: limited.value ? { from: from.value, to: to.value } : null,
}))
const changed = computed(() => JSON.stringify(wanted.value) !== JSON.stringify(copy()))
const { saving, save } = useSaving(async () => {
  emit('saved', await callApi('PUT', `/sites/${props.site.id}/warm-up`, WarmUpState, wanted.value))
})
const number = (key: 'perMinute' | 'atOnce' | 'slowdown' | 'leastPriority', value: unknown): void => {
  if (value !== '' && value !== null) settings.value[key] = Number(value)
}
const day = (index: number, on: boolean): void => {
  const { days } = settings.value
  settings.value.days = (on ? [...days, index] : days.filter((one) => one !== index)).sort((a, b) => a - b)
}
</script>

<template>
  <form class="settings" @submit.prevent="save">
    <fieldset>
      <legend>What to load</legend>
      <v-checkbox v-for="source in SOURCES" :key="source.key" v-model="settings[source.key]" :label="source.label" />
      <v-text-field
        class="number"
        type="number"
        min="0"
        max="1"
        step="0.1"
        label="Lowest priority in the sitemap"
        :model-value="settings.leastPriority"
        @update:model-value="number('leastPriority', $event)"
      />
      <v-textarea
        v-model="lines"
        rows="3"
        label="Further addresses, one per line"
        placeholder="/timetables?season=summer"
      />
      <template v-if="kinds.length > 0">
        <CheckList
          class="kinds"
          v-model="settings.leftOutKinds"
          :items="kinds.map((kind) => ({ id: kind, title: kind }))"
          legend="Kinds to leave out, such as tags or archives"
        />
      </template>
    </fieldset>
    <fieldset>
      <legend>How fast</legend>
      <p class="small muted">
        These are upper limits. Visitors' requests always come first, and a warm-up slows down when your server (origin)
        does.
      </p>
      <div class="bar fields">
        <v-text-field
          class="number"
          type="number"
          min="1"
          max="6000"
          label="Requests per minute"
          :model-value="settings.perMinute"
          @update:model-value="number('perMinute', $event)"
        />
        <v-text-field
          class="number"
          type="number"
          min="1"
          max="16"
          label="Requests at a time"
          :model-value="settings.atOnce"
          @update:model-value="number('atOnce', $event)"
        />
        <v-text-field
          class="number"
          type="number"
          min="1.1"
          max="5"
          step="0.1"
          label="Server wait, times its quiet median"
          :model-value="settings.slowdown"
          @update:model-value="number('slowdown', $event)"
        />
      </div>
    </fieldset>
    <fieldset>
      <legend>When</legend>
      <v-checkbox v-model="settings.automatic" label="Start rounds automatically" />
      <template v-if="settings.automatic">
        <v-checkbox
          v-for="occasion in OCCASIONS"
          :key="occasion.key"
          v-model="settings[occasion.key]"
          class="inner"
          :label="occasion.label"
        />
        <SelectField v-model="settings.everyH" class="inner number" label="The whole list" :items="ROUND_INTERVALS" />
        <v-checkbox v-model="limited" class="inner" label="Only at certain hours (UTC)" />
        <div v-if="limited" class="bar fields inner">
          <SelectField v-model="from" class="number" label="From" :items="hours" />
          <SelectField v-model="to" class="number" label="Until" :items="hours" />
        </div>
        <div class="bar fields inner" role="group" aria-label="Days">
          <v-checkbox
            v-for="(title, index) in DAYS"
            :key="title"
            :label="title"
            :model-value="settings.days.includes(index)"
            @update:model-value="day(index, $event === true)"
          />
        </div>
      </template>
    </fieldset>
    <div class="bar end">
      <ActionButton type="submit" color="primary" variant="flat" :disabled="!changed" :under-way="saving"
        >Save settings</ActionButton
      >
    </div>
  </form>
</template>

<style scoped>
fieldset {
  margin: 0 0 1rem;
  padding: 0.3rem 1rem 0.8rem;
  border: 1px solid rgb(var(--v-theme-line));
}
legend {
  padding: 0 0.4rem;
  font-weight: 600;
}
.number {
  flex: 0 1 240px;
  max-width: 280px;
  margin: 0.3rem 0;
}
.fields {
  justify-content: flex-start;
  flex-wrap: wrap;
}
.inner {
  margin-left: 2rem;
}
.kinds {
  margin-top: 0.9rem;
  columns: 15rem;
}
.end {
  justify-content: flex-start;
}
</style>
