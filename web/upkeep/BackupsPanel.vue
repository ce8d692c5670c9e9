<script setup lang="ts">
import { computed, ref } from 'vue'
import { z } from 'zod'
import type { UpkeepPlan } from '../../core/contracts/clean-up.ts'
import type { Backup, BackupsInfo } from '../../core/contracts/database-backups.ts'
import type { FileConnectionInfo } from '../../core/contracts/file-connections.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { bytes, when, whole } from '../format/show.ts'
import { saveFile } from '../export/save.ts'
import FileConnectionForm from '../server-rules/FileConnectionForm.vue'
import { useProblems } from '../stores/problems.ts'
import ActionButton from '../ui/ActionButton.vue'

/** Backups of the database: where they go, what is there, and the key that opens them. */
const props = defineProps<{ site: Site; backups: BackupsInfo; plan: UpkeepPlan; busy: boolean; ordering: string }>()
const emit = defineEmits<{
  placed: [place: FileConnectionInfo]
  order: []
  restore: [backup: Backup, database: string]
  plan: [plan: UpkeepPlan]
  media: []
}>()
const problems = useProblems()

const isPlaced = computed(() => props.backups.place.trial?.outcome === 'good')
const STAGES: Record<Backup['stage'], string> = {
  'under-way': 'Not finished',
  written: 'Written, not sent',
  sent: 'Sent, not proved',
  proved: 'Proved',
  'not-proved': 'Not proved',
  removed: 'Removed, as newer ones are kept',
}
/** Whether the media folder is at the backup place too. */
const hasMedia = computed(() => props.backups.backups.some(({ media }) => media !== null))
const restoring = ref<string | null>(null)
const database = ref('')
const generations = ref(String(props.plan.generations))
const saveGenerations = (): void => {
  const count = Number(generations.value)
  if (Number.isInteger(count) && count >= 1 && count <= 100) emit('plan', { ...props.plan, generations: count })
}
const saveKey = async (): Promise<void> => {
  const known = await problems.catching(() =>
    callApi('GET', `/sites/${props.site.id}/database/backup-key`, z.object({ identity: z.string() })),
  )
  if (known !== undefined) saveFile('backup-key.txt', 'text/plain', `${known.identity}\n`)
}
const restore = (backup: Backup): void => {
  restoring.value = null
  emit('restore', backup, database.value.trim())
}
</script>

<template>
  <p class="lead">
    A backup is a file of SQL that your database’s own client reads, compressed and encrypted. It is sent to a place
    that is not your server, brought back, restored into an empty database and compared row by row. Only a backup that
    passed all of this allows a clean-up. Where the media folder is connected (under Pictures), its files go there too.
  </p>
  <div class="bar">
    <ActionButton
      color="primary"
      variant="flat"
      :disabled="!isPlaced || busy"
      :under-way="ordering === 'backup'"
      @click="emit('order')"
    >
      Back up now
    </ActionButton>
    <v-btn :disabled="!isPlaced" @click="saveKey">Save the key</v-btn>
    <v-btn v-if="hasMedia" :disabled="!isPlaced || busy" @click="emit('media')">Put missing media files back</v-btn>
  </div>
  <p class="muted small">
    Keep the key where neither this machine nor the backups are: without it nobody opens them. With it, on any machine:
    <code>age -d -i backup-key.txt FILE | gunzip</code>, then into your database’s client.
  </p>
  <p v-if="!isPlaced" role="status" class="muted">Say below where backups go.</p>
  <div v-if="backups.backups.length > 0" class="scroll" tabindex="0" role="group" aria-label="Backups">
    <table class="figures">
      <thead>
        <tr>
          <th scope="col">Made</th>
          <th scope="col">State</th>
          <th scope="col" class="num">As SQL</th>
          <th scope="col" class="num">File</th>
          <th scope="col">Proof</th>
          <th scope="col"><span class="visually-hidden">Actions</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in backups.backups" :key="one.id">
          <td>{{ when(one.at) }}</td>
          <td :class="{ good: one.stage === 'proved' }">
            {{ one.state === 'running' || one.state === 'queued' ? 'Under way' : STAGES[one.stage] }}
          </td>
          <td class="num">{{ bytes(one.plainBytes) }}</td>
          <td class="num">{{ bytes(one.bytes) }}</td>
          <td class="proof">
            {{ one.error ?? one.proof?.sentence ?? '' }}
            {{ one.media?.sentence ?? '' }}
            <span v-if="one.tables.length > 0 && !one.proof" class="muted"
              >{{ whole(one.tables.reduce((sum, { rows }) => sum + rows, 0)) }} rows</span
            >
          </td>
          <td>
            <v-btn
              v-if="one.stage === 'proved' || one.stage === 'sent' || one.stage === 'not-proved'"
              size="small"
              :disabled="busy"
              @click="restoring = restoring === one.id ? null : one.id"
              >Restore</v-btn
            >
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <form
    v-for="one in backups.backups.filter(({ id }) => id === restoring)"
    :key="one.id"
    class="panel row"
    @submit.prevent="restore(one)"
  >
    <p>
      The backup of {{ when(one.at) }} is restored into an empty database on the same server; the one of your site stays
      as it is until you point the site to the restored one.
    </p>
    <v-text-field v-model="database" label="Name of the empty database" autocomplete="off" hide-details />
    <v-btn type="submit" color="primary" variant="flat" :disabled="database.trim() === ''">Restore into it</v-btn>
  </form>
  <form class="bar" @submit.prevent="saveGenerations">
    <v-text-field
      v-model="generations"
      class="few"
      type="number"
      min="1"
      max="100"
      label="Backups that are kept"
      hide-details
    />
    <v-btn type="submit" :disabled="generations === String(plan.generations)">Save</v-btn>
  </form>
  <details :open="!isPlaced">
    <summary>Where backups go</summary>
    <FileConnectionForm
      :site="site"
      :connection="backups.place"
      at="database/backup-place"
      folder-label="Folder for backups"
      @changed="emit('placed', $event)"
    />
  </details>
</template>

<style scoped>
.lead {
  max-width: 52rem;
}
.bar {
  margin: 0.6rem 0;
}
.scroll {
  overflow-x: auto;
}
.proof {
  min-width: 16rem;
}
.good {
  color: rgb(var(--v-theme-live));
}
.row {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.7rem;
  margin: 0.6rem 0;
}
.few {
  max-width: 14rem;
}
</style>
