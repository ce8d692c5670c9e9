<script setup lang="ts">
import { computed, ref } from 'vue'
import {
  FileConnectionInfo,
  type FileConnectionDraft,
  type FilePlace,
  type FileProtocol,
} from '../../core/contracts/file-connections.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useProblems } from '../stores/problems.ts'
import ActionButton from '../ui/ActionButton.vue'
import NoteBox from '../ui/NoteBox.vue'
import SelectField from '../ui/SelectField.vue'

/** How the files of the site are reached on the machine that serves it. */
const props = defineProps<{
  site: Site
  connection: FileConnectionInfo
  /** Where it is saved, below the address of the site. */
  at?: string
  /** What the folder is for. */
  folderLabel?: string
}>()
const emit = defineEmits<{ changed: [connection: FileConnectionInfo] }>()
const problems = useProblems()

const PROTOCOLS: { value: FileProtocol; title: string }[] = [
  { value: 'sftp', title: 'SFTP' },
  { value: 'ftps', title: 'FTPS (FTP with TLS)' },
  { value: 'webdav', title: 'WebDAV' },
  { value: 'folder', title: 'A folder of this machine' },
]
const known = props.connection.place
const protocol = ref<FileProtocol>(known?.protocol ?? 'sftp')
const address = ref(known?.address ?? '')
const user = ref(known?.user ?? '')
const folder = ref(known?.folder ?? '')
const by = ref<'password' | 'key'>('password')
const password = ref('')
const key = ref('')
const passphrase = ref('')
const keeps = ref(props.connection.secret !== 'in-memory')
const underWay = ref<'' | 'saving' | 'forgetting'>('')

const isRemote = computed(() => protocol.value !== 'folder')
const path = computed(() => `/sites/${props.site.id}/${props.at ?? 'file-connection'}`)
const ADDRESSES: Record<FileProtocol, string> = {
  sftp: 'files.example.org',
  ftps: 'files.example.org',
  webdav: 'https://files.example.org/site/',
  folder: '',
}
const secret = computed<FileConnectionDraft['secret']>(() => {
  if (!isRemote.value) return { kind: 'none' }
  if (protocol.value === 'sftp' && by.value === 'key')
    return key.value.trim() === '' ? null : { kind: 'key', key: key.value, passphrase: passphrase.value }
  return password.value === '' ? null : { kind: 'password', password: password.value }
})
/** Another server has another key. */
const fingerprint = computed(() =>
  known?.protocol === protocol.value && known.address === address.value.trim() ? known.fingerprint : null,
)
const draft = (confirmed: string | null): FileConnectionDraft => {
  const place: FilePlace = {
    protocol: protocol.value,
    address: isRemote.value ? address.value.trim() : '',
    user: isRemote.value ? user.value.trim() : '',
    folder: folder.value.trim(),
    fingerprint: confirmed,
  }
  return { place, secret: secret.value, keep: keeps.value ? 'encrypted' : 'not-kept' }
}
/** Save, and find out at once whether it works. */
const save = async (confirmed: string | null): Promise<void> => {
  underWay.value = 'saving'
  const tried = await problems.catching(async () => {
    await callApi('PUT', path.value, FileConnectionInfo, draft(confirmed))
    return callApi('POST', `${path.value}/trials`, FileConnectionInfo)
  })
  underWay.value = ''
  if (tried === undefined) return
  password.value = ''
  key.value = ''
  passphrase.value = ''
  emit('changed', tried)
}
const forget = async (): Promise<void> => {
  underWay.value = 'forgetting'
  await problems.catching(async () => {
    await callApi('DELETE', path.value)
    emit('changed', await callApi('GET', path.value, FileConnectionInfo))
  })
  underWay.value = ''
}
const trial = computed(() => props.connection.trial)
const saved = computed(() =>
  props.connection.secret === 'encrypted' || props.connection.secret === 'in-memory' ? ' (empty: as before)' : '',
)
</script>

<template>
  <form class="panel form" @submit.prevent="save(fingerprint)">
    <SelectField v-model="protocol" :items="PROTOCOLS" label="Protocol" />
    <div class="fields">
      <v-text-field
        v-if="isRemote"
        v-model="address"
        :label="protocol === 'webdav' ? 'Address' : 'Host, and port if it is not the usual one'"
        :placeholder="ADDRESSES[protocol]"
      />
      <v-text-field v-if="isRemote" v-model="user" label="User" autocomplete="off" />
      <v-text-field
        v-model="folder"
        :label="folderLabel ?? 'Folder of the site, with its rules file'"
        :placeholder="isRemote ? '/www' : connection.folders[0]"
      />
    </div>
    <p v-if="!isRemote" class="muted small">
      {{
        connection.folders.length > 0
          ? `Whoever runs this machine has opened: ${connection.folders.join(', ')}.`
          : 'No folder is open to sites. Whoever runs this machine names such folders in ZEST_SITE_FOLDERS.'
      }}
    </p>
    <template v-else>
      <v-radio-group v-if="protocol === 'sftp'" v-model="by" inline hide-details density="compact" label="Signed in by">
        <v-radio value="password" label="Password" />
        <v-radio value="key" label="Key" />
      </v-radio-group>
      <v-textarea
        v-if="protocol === 'sftp' && by === 'key'"
        v-model="key"
        :label="`Private key${saved}`"
        rows="4"
        spellcheck="false"
        autocomplete="off"
        class="key"
      />
      <v-text-field
        v-if="protocol === 'sftp' && by === 'key'"
        v-model="passphrase"
        type="password"
        label="Passphrase of the key, if it has one"
        autocomplete="off"
      />
      <v-text-field v-else v-model="password" type="password" :label="`Password${saved}`" autocomplete="off" />
      <v-checkbox
        v-model="keeps"
        label="Save it encrypted (otherwise it is forgotten at the next restart)"
        hide-details
        density="compact"
      />
    </template>
    <NoteBox v-if="trial && trial.outcome !== 'good'" kind="warning">
      <p role="status">{{ trial.sentence }}</p>
      <template v-if="trial.outcome === 'unknown-key' && trial.fingerprint">
        <p>
          SHA-256 fingerprint: <code>{{ trial.fingerprint }}</code>
        </p>
        <v-btn size="small" @click="save(trial.fingerprint)">It is the right one: connect</v-btn>
      </template>
    </NoteBox>
    <div class="bar">
      <ActionButton type="submit" color="primary" variant="flat" :under-way="underWay === 'saving'">
        Save and try
      </ActionButton>
      <ActionButton v-if="connection.place" :under-way="underWay === 'forgetting'" @click="forget">
        Forget it
      </ActionButton>
    </div>
  </form>
</template>

<style scoped>
.form {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 0.7rem;
}
.fields {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(16rem, 100%), 1fr));
  gap: 0.7rem;
}
.key :deep(textarea) {
  font-family: monospace;
  font-size: 0.85rem;
}
code {
  overflow-wrap: anywhere;
}
</style>
