<script setup lang="ts">
import { computed, ref } from 'vue'
import type { ImportedSetup } from '../../core/contracts/setup-file.ts'
import type { Site, Version } from '../../core/contracts/sites.ts'
import ActionButton from '../ui/ActionButton.vue'
import { refused } from '../api/client.ts'
import { fileName, saveFile } from '../export/save.ts'
import { useSite } from '../stores/site.ts'
import { useProblems } from '../stores/problems.ts'
import { exportSetup, importSetup } from '../stores/setup-files.ts'
import { useSites } from '../stores/sites.ts'
import SelectField from '../ui/SelectField.vue'

/** Take a setup away as a file, carry it to another site, or read one in; always into trial, never live. */
const props = defineProps<{ site: Site; versions: readonly Version[]; disabled: boolean }>()
const siteData = useSite()
const problems = useProblems()
const sites = useSites()

const LARGEST_FILE = 1_000_000
const chosen = ref<number>(0)
const choices = computed(() => [
  { value: 0, title: 'The trial' },
  ...props.versions.map(({ number }) => ({ value: number, title: `Version ${number}` })),
])
const others = computed(() => sites.sites.filter(({ id }) => id !== props.site.id))
const target = ref<string | null>(null)
const working = ref(false)
/** What was read in and looked at, and which site it is for. */
const looked = ref<{ file: unknown; siteId: string; found: ImportedSetup } | null>(null)

const exported = () => exportSetup(props.site.id, chosen.value === 0 ? null : chosen.value)
const save = (): Promise<unknown> =>
  problems.catching(async () => {
    const file = await exported()
    const name = fileName([props.site.name, chosen.value === 0 ? 'trial' : `version-${chosen.value}`], 'json')
    saveFile(name, 'application/json', JSON.stringify(file, null, 2))
  })
const look = async (file: unknown, siteId: string): Promise<void> => {
  working.value = true
  const found = await problems.catching(() => importSetup(siteId, file, false))
  looked.value = found === undefined ? null : { file, siteId, found }
  working.value = false
}
const read = async (event: Event): Promise<void> => {
  const input = event.target as HTMLInputElement
  const [file] = input.files ?? []
  if (file === undefined) return
  await problems.catching(async () => {
    if (file.size > LARGEST_FILE)
      throw refused('Not imported', 'A setup file is a few kilobytes; this file is too large.')
    const text = await file.text()
    let value: unknown
    try {
      value = JSON.parse(text)
    } catch {
      throw refused(
        'Not imported',
        'This file is not JSON, so it is not a setup. Choose a file exported from Zest Lamp.',
      )
    }
    await look(value, props.site.id)
  })
  input.value = ''
}
const copy = (): Promise<unknown> =>
  problems.catching(async () => {
    if (target.value !== null) await look(await exported(), target.value)
  })
const apply = async (): Promise<void> => {
  const { file, siteId } = looked.value!
  working.value = true
  const done = await problems.catching(() => importSetup(siteId, file, true))
  working.value = false
  if (done === undefined) return
  looked.value = { file, siteId, found: done }
  if (siteId === props.site.id) await problems.catching(() => siteData.open(siteId))
}
const nameOf = (siteId: string): string => sites.find(siteId)?.name ?? ''
</script>

<template>
  <section class="panel" aria-labelledby="files">
    <h2 id="files">Setup files</h2>
    <div class="ways">
      <SelectField v-model="chosen" :items="choices" label="Setup" />
      <v-btn @click="save">Export</v-btn>
      <template v-if="others.length > 0">
        <SelectField
          v-model="target"
          :items="others.map(({ id, name }) => ({ value: id, title: name }))"
          label="Other site"
        />
        <ActionButton :under-way="working" :disabled="target === null" @click="copy">Copy to it</ActionButton>
      </template>
      <label class="file">
        Import a file
        <input type="file" accept="application/json,.json" :disabled="disabled" @change="read" />
      </label>
    </div>
    <div v-if="looked" class="looked" role="status">
      <p>
        From <b>{{ looked.found.from }}</b>
        <template v-if="looked.found.applied">
          is now in the trial of {{ nameOf(looked.siteId) }}; live is unchanged.</template
        >
        <template v-else-if="looked.found.changes.length === 0"
          >: the same as the trial of {{ nameOf(looked.siteId) }}.</template
        >
        <template v-else> would change in the trial of {{ nameOf(looked.siteId) }}:</template>
      </p>
      <ul v-if="!looked.found.applied">
        <li v-for="sentence in looked.found.changes" :key="sentence">{{ sentence }}</li>
      </ul>
      <p v-for="sentence in looked.found.migrated" :key="sentence" class="muted small">{{ sentence }}</p>
      <p v-if="looked.found.adapted.length > 0">Host names: {{ looked.found.adapted.join(', ') }}</p>
      <template v-if="looked.found.unfit.length > 0">
        <p>Settings that do not fit this site:</p>
        <ul>
          <li v-for="one in looked.found.unfit" :key="one.where + one.value">
            {{ one.where }}: <code>{{ one.value }}</code>
            {{ one.what === 'left-out' ? 'is not imported.' : 'is imported anyway.' }}
            <span class="muted">{{ one.sentence }}</span>
          </li>
        </ul>
      </template>
      <div class="bar">
        <ActionButton
          v-if="!looked.found.applied && looked.found.changes.length > 0"
          color="primary"
          variant="flat"
          :under-way="working"
          :disabled="disabled && looked.siteId === site.id"
          @click="apply"
          >Put into the trial</ActionButton
        >
        <v-btn @click="looked = null">Close</v-btn>
      </div>
    </div>
  </section>
</template>

<style scoped>
section {
  margin-top: 1rem;
}
h2 {
  margin-top: 0;
}
.ways {
  display: flex;
  gap: 0.7rem;
  align-items: center;
  flex-wrap: wrap;
}
.ways > :deep(.v-input) {
  max-width: 200px;
  min-width: 150px;
}
.file {
  display: flex;
  flex-wrap: wrap;
  gap: 0.5rem;
  align-items: center;
}
.looked {
  margin-top: 0.7rem;
  border-top: 1px solid rgb(var(--v-theme-line));
  padding-top: 0.5rem;
}
ul {
  padding-left: 1.2rem;
}
</style>
