<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import {
  GroupPreview,
  GroupsFile,
  type CleanUp,
  type CleanUpGroup,
  type CleanUpOrder,
  type FoundGroup,
  type QuietHours,
  type Survey,
  type UpkeepPlan,
} from '../../core/contracts/clean-up.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { saveFile } from '../export/save.ts'
import { bytes, howMany, when } from '../format/show.ts'
import { useProblems } from '../stores/problems.ts'
import ActionButton from '../ui/ActionButton.vue'
import NoteBox from '../ui/NoteBox.vue'
import SelectField from '../ui/SelectField.vue'
import CleanUpItem from './CleanUpItem.vue'
import GroupForm from './GroupForm.vue'
import GroupItem from './GroupItem.vue'

/** What can go from the database: found, confirmed, removed, and put back. */
const props = defineProps<{
  site: Site
  survey: Survey | null
  plan: UpkeepPlan
  cleanUps: readonly CleanUp[]
  /** Why nothing can be removed right now; null: it can. */
  hindrance: string | null
  busy: boolean
  ordering: string
}>()
const emit = defineEmits<{
  survey: []
  plan: [plan: UpkeepPlan]
  cleanUp: [order: Pick<CleanUpOrder, 'groups' | 'start' | 'loads'>]
  restore: [cleanUpId: string]
}>()
const problems = useProblems()

type Shown = GroupPreview & Partial<Pick<FoundGroup, 'sure' | 'evidence'>>
const result = computed(() => props.survey?.result ?? null)
const groups = shallowRef<readonly Shown[]>([])
const chosen = ref<string[]>([])
const looking = ref(false)
const describing = ref(false)
const measures = ref(true)

const look = async (group: CleanUpGroup): Promise<GroupPreview | undefined> => {
  looking.value = true
  const seen = await problems.catching(() =>
    callApi('POST', `/sites/${props.site.id}/database/previews`, GroupPreview, group),
  )
  looking.value = false
  return seen
}
/** What was found, as the owner has changed it, and what the owner has described. */
watch(
  () => props.survey?.id + (result.value === null ? '' : ' done'),
  async () => {
    const found = result.value?.groups ?? []
    groups.value = found
    chosen.value = []
    for (const group of result.value === null ? [] : props.plan.groups) {
      const known = found.find((one) => one.group.id === group.id)
      chosen.value.push(group.id)
      if (JSON.stringify(known?.group) === JSON.stringify(group)) continue
      const seen = await look(group)
      if (seen !== undefined) put(seen)
    }
  },
  { immediate: true },
)
const put = (seen: GroupPreview): void => {
  const before = groups.value.find(({ group }) => group.id === seen.group.id)
  groups.value =
    before === undefined
      ? [...groups.value, seen]
      : groups.value.map((one) => (one === before ? { ...before, ...seen } : one))
}
const confirmed = computed(() =>
  groups.value.filter(({ group, problem }) => problem === null && chosen.value.includes(group.id)),
)
const remember = (): void => emit('plan', { ...props.plan, groups: confirmed.value.map(({ group }) => group) })
const choose = (id: string, is: boolean): void => {
  chosen.value = is ? [...chosen.value.filter((one) => one !== id), id] : chosen.value.filter((one) => one !== id)
  remember()
}
const change = async (group: CleanUpGroup): Promise<void> => {
  const seen = await look(group)
  if (seen === undefined) return
  put(seen)
  if (chosen.value.includes(group.id)) remember()
}
const describe = async (group: CleanUpGroup): Promise<void> => {
  await change(group)
  describing.value = false
}
const forget = (id: string): void => {
  groups.value = groups.value.filter(({ group }) => group.id !== id)
  choose(id, false)
}
/** What went, or came back, is counted again. */
watch(
  () => props.cleanUps.map(({ state, restored }) => `${state} ${restored ?? ''}`).join(),
  async () => {
    if (props.cleanUps[0]?.state === 'running' || props.cleanUps[0]?.state === 'queued') return
    for (const { group } of groups.value) {
      const seen = await look(group)
      if (seen !== undefined) put(seen)
    }
  },
)
const rows = computed(() => confirmed.value.reduce((sum, one) => sum + (one.rows ?? 0), 0))
const size = computed(() => confirmed.value.reduce((sum, one) => sum + (one.bytes ?? 0), 0))

const saveGroups = (): void =>
  saveFile(
    'clean-up-groups.json',
    'application/json',
    JSON.stringify({ format: 'zest-lamp-clean-up-groups-1', groups: groups.value.map(({ group }) => group) }, null, 2),
  )
const openGroups = async (event: Event): Promise<void> => {
  const file = (event.target as HTMLInputElement).files?.[0]
  if (file === undefined) return
  const came = await problems.catching(async () => {
    const parsed = GroupsFile.safeParse(JSON.parse(await file.text()))
    if (!parsed.success) throw new Error('This is no file of clean-up groups. Open one that “Save the groups” made.')
    return parsed.data.groups
  })
  for (const group of came ?? []) await change(group)
}

const zone = Intl.DateTimeFormat().resolvedOptions().timeZone
const from = ref(props.plan.quiet?.from ?? '02:00')
const to = ref(props.plan.quiet?.to ?? '05:00')
const hasQuiet = ref(props.plan.quiet !== null)
const quiet = computed<QuietHours | null>(() =>
  hasQuiet.value ? { from: from.value, to: to.value, zone: props.plan.quiet?.zone ?? zone } : null,
)
watch(quiet, (hours) => emit('plan', { ...props.plan, quiet: hours }))
const UNITS = [
  { value: 'hours', title: 'hours' },
  { value: 'days', title: 'days' },
  { value: 'weeks', title: 'weeks' },
] as const
const repeats = ref(props.plan.every !== null)
const count = ref(String(props.plan.every?.count ?? 1))
const unit = ref<(typeof UNITS)[number]['value']>(props.plan.every?.unit ?? 'weeks')
const every = computed<UpkeepPlan['every']>(() => {
  const number = Number(count.value)
  return repeats.value && Number.isInteger(number) && number >= 1 && number <= 1000
    ? { count: number, unit: unit.value }
    : null
})
watch(every, (now) => emit('plan', { ...props.plan, every: now }))
const cleanUp = (start: 'now' | 'quiet-hours'): void =>
  emit('cleanUp', {
    groups: confirmed.value.map(({ group }) => group),
    start,
    loads: measures.value ? 'measured' : 'not-measured',
  })
</script>

<template>
  <p class="lead">
    Zest Lamp reads the tables and a few rows, and proposes what nobody misses: old revisions, trash, spam, what has
    expired, what points to nothing. Nothing is proposed that visitors were seen to read, and nothing is removed that
    you have not confirmed.
  </p>
  <div class="bar">
    <ActionButton
      :color="result === null ? 'primary' : undefined"
      :variant="result === null ? 'flat' : 'outlined'"
      :disabled="busy"
      :under-way="ordering === 'survey'"
      @click="emit('survey')"
    >
      {{ result === null ? 'Look through the database' : 'Look again' }}
    </ActionButton>
    <span v-if="result" class="muted small"
      >{{ result.server }}, {{ howMany(result.tables.length, 'table') }}, {{ when(survey?.at ?? '') }}</span
    >
  </div>
  <NoteBox v-if="survey?.error" kind="error" :text="survey.error" />
  <template v-if="result">
    <p v-if="groups.length === 0">Nothing was found that could go. You can describe a group yourself.</p>
    <GroupItem
      v-for="one in groups"
      :key="one.group.id"
      :preview="one"
      :chosen="chosen.includes(one.group.id)"
      :looking="looking"
      @choose="choose(one.group.id, $event)"
      @change="change"
      @forget="forget(one.group.id)"
    />
    <details v-if="result.leftAlone.length > 0">
      <summary>Left alone</summary>
      <ul>
        <li v-for="one in result.leftAlone" :key="one">{{ one }}</li>
      </ul>
    </details>
    <div class="bar">
      <v-btn @click="describing = true">Describe a group</v-btn>
      <v-btn @click="saveGroups">Save the groups</v-btn>
      <label class="file">
        Open groups of another site
        <input type="file" accept="application/json,.json" class="visually-hidden" @change="openGroups" />
      </label>
    </div>
    <GroupForm
      v-if="describing"
      :tables="result.tables"
      :taken="groups.map(({ group }) => group.id)"
      @described="describe"
      @cancel="describing = false"
    />

    <h2>Clean up</h2>
    <div class="bar quiet">
      <v-checkbox v-model="hasQuiet" label="Only in quiet hours" hide-details density="compact" />
      <template v-if="hasQuiet">
        <label>from <input v-model="from" type="time" required /></label>
        <label>to <input v-model="to" type="time" required /></label>
        <span class="muted small">{{ quiet?.zone }}</span>
      </template>
    </div>
    <div class="bar quiet">
      <v-checkbox
        v-model="repeats"
        label="By itself, after a backup of its own, every"
        hide-details
        density="compact"
      />
      <template v-if="repeats">
        <label
          ><span class="visually-hidden">How many</span
          ><input v-model="count" type="number" min="1" max="1000" required
        /></label>
        <SelectField v-model="unit" :items="UNITS" label="Unit" hide-label />
      </template>
    </div>
    <v-checkbox
      v-model="measures"
      label="Measure what it was worth: load pages as a phone and as a laptop before and after (some minutes)"
      hide-details
      density="compact"
    />
    <div class="bar">
      <ActionButton
        color="primary"
        variant="flat"
        :disabled="busy || hindrance !== null || confirmed.length === 0"
        :under-way="ordering === 'clean-up'"
        @click="cleanUp(hasQuiet ? 'quiet-hours' : 'now')"
      >
        Remove {{ howMany(rows, 'row') }} ({{ bytes(size) }})
      </ActionButton>
      <v-btn v-if="hasQuiet" :disabled="busy || hindrance !== null || confirmed.length === 0" @click="cleanUp('now')"
        >Now, without waiting</v-btn
      >
      <span class="muted small" role="status">{{
        hindrance ?? (confirmed.length === 0 ? 'Tick the groups that may go.' : 'They can be put back afterwards.')
      }}</span>
    </div>
  </template>
  <template v-if="cleanUps.length > 0">
    <h2>Clean-ups so far</h2>
    <CleanUpItem
      v-for="one in cleanUps"
      :key="one.id"
      :clean-up="one"
      :busy="busy"
      @restore="emit('restore', one.id)"
    />
  </template>
</template>

<style scoped>
.lead {
  max-width: 52rem;
}
.bar {
  margin: 0.6rem 0;
}
.quiet input {
  min-height: 2rem;
  padding: 0.2rem 0.4rem;
  border: 1px solid rgb(var(--v-theme-line));
  color: inherit;
  background: rgb(var(--v-theme-surface));
}
.file {
  display: inline-flex;
  align-items: center;
  min-height: 2.25rem;
  padding: 0 1rem;
  border: 1px solid rgb(var(--v-theme-line));
  cursor: pointer;
}
.file:focus-within {
  outline: 2px solid rgb(var(--v-theme-primary));
}
</style>
