<script setup lang="ts">
import { computed, ref } from 'vue'
import type { CleanUpGroup, FoundGroup, GroupPreview } from '../../core/contracts/clean-up.ts'
import { bytes, howMany, whole } from '../format/show.ts'

/** One group of rows that may go: what they are, how sure that is, and what stays. */
const props = defineProps<{
  preview: GroupPreview & Partial<Pick<FoundGroup, 'sure' | 'evidence'>>
  chosen: boolean
  looking: boolean
}>()
const emit = defineEmits<{ choose: [chosen: boolean]; change: [group: CleanUpGroup]; forget: [] }>()

const group = computed(() => props.preview.group)
const newest = ref(String(group.value.keep?.newest ?? ''))
const youngerThan = ref(String(group.value.keep?.youngerThanDays ?? ''))
const age = computed(() => group.value.where.find((one) => one.is === 'older'))
const days = ref(String(age.value?.is === 'older' ? age.value.days : ''))

const SURE: Record<FoundGroup['sure'], string> = { sure: 'sure', likely: 'likely', unsure: 'look closely' }
const isDays = (text: string): boolean => /^\d{1,5}$/.test(text)

/** The group with what the fields say. */
const change = (): void => {
  const { keep, where } = group.value
  emit('change', {
    ...group.value,
    where: where.map((one) => (one === age.value && isDays(days.value) ? { ...one, days: Number(days.value) } : one)),
    keep:
      keep === null
        ? null
        : {
            ...keep,
            newest: isDays(newest.value) ? Number(newest.value) : keep.newest,
            youngerThanDays:
              youngerThan.value === ''
                ? null
                : isDays(youngerThan.value)
                  ? Number(youngerThan.value)
                  : keep.youngerThanDays,
          },
  })
}
const treat = (at: number, goes: boolean): void =>
  emit('change', {
    ...group.value,
    referring: group.value.referring.map((one, index) =>
      index === at ? { ...one, treat: goes ? 'remove' : 'stay' } : one,
    ),
  })
</script>

<template>
  <article class="panel group">
    <div class="head">
      <v-checkbox
        :model-value="chosen"
        :label="group.name"
        :disabled="preview.problem !== null"
        hide-details
        density="compact"
        @update:model-value="emit('choose', $event === true)"
      />
      <span class="figures"
        >{{ preview.rows === null ? 'not counted' : `${howMany(preview.rows, 'row')} · ${bytes(preview.bytes)}` }}
        <b v-if="preview.sure" :class="preview.sure">{{ SURE[preview.sure] }}</b></span
      >
    </div>
    <p>{{ preview.sentence }}</p>
    <p v-if="preview.problem" class="problem">{{ preview.problem }}</p>
    <p v-if="preview.heldBack" class="muted small">
      {{ whole(preview.heldBack) }} more stay, because something points to them.
    </p>
    <details>
      <summary>Why, which rows, and what stays</summary>
      <ul v-if="preview.evidence">
        <li v-for="one in preview.evidence" :key="one">{{ one }}</li>
      </ul>
      <div class="bar fields">
        <v-text-field v-if="group.keep" v-model="newest" type="number" min="0" label="Keep the newest" hide-details />
        <v-text-field
          v-if="group.keep && group.keep.form !== null"
          v-model="youngerThan"
          type="number"
          min="0"
          label="and those younger than, days"
          hide-details
        />
        <v-text-field v-if="age" v-model="days" type="number" min="0" label="Only older than, days" hide-details />
        <v-btn v-if="group.keep || age" :disabled="looking" @click="change">Count again</v-btn>
      </div>
      <v-checkbox
        v-for="(one, at) in group.referring"
        :key="`${one.table} ${one.column}`"
        :model-value="one.treat === 'remove'"
        :label="`Rows of ${one.table} that point to them (${one.column}) go along; otherwise what they point to stays`"
        hide-details
        density="compact"
        @update:model-value="treat(at, $event === true)"
      />
      <div v-if="preview.samples.length > 0" class="scroll" tabindex="0" role="group" aria-label="Sample rows">
        <table class="figures">
          <thead>
            <tr>
              <th v-for="column in preview.columns" :key="column" scope="col">{{ column }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(row, at) in preview.samples" :key="at">
              <td v-for="(value, index) in row" :key="index">{{ value ?? '–' }}</td>
            </tr>
          </tbody>
        </table>
      </div>
      <pre v-if="preview.condition" tabindex="0" aria-label="Condition as SQL">{{ preview.condition }}</pre>
      <v-btn size="small" @click="emit('forget')">Leave this group out of the list</v-btn>
    </details>
  </article>
</template>

<style scoped>
.group {
  padding: 0.5rem 1rem 0.7rem;
  margin: 0.5rem 0;
}
.head {
  display: flex;
  flex-wrap: wrap;
  gap: 0.2rem 1rem;
  align-items: center;
  justify-content: space-between;
}
.figures {
  font-variant-numeric: tabular-nums;
}
.figures b {
  margin-left: 0.5rem;
}
.sure {
  color: rgb(var(--v-theme-live));
}
.problem {
  color: rgb(var(--v-theme-error));
}
p {
  max-width: 60rem;
  margin: 0.2rem 0;
}
.fields {
  margin: 0.7rem 0;
}
.fields > * {
  max-width: 14rem;
}
.scroll {
  overflow-x: auto;
}
td {
  max-width: 20rem;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
pre {
  overflow-x: auto;
  font-size: 0.8rem;
}
</style>
