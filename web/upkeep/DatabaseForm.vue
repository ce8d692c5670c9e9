<script setup lang="ts">
import { computed, ref } from 'vue'
import {
  DatabaseConnectionInfo,
  type DatabaseConnectionDraft,
  type DatabaseEngine,
  type DatabaseUse,
} from '../../core/contracts/site-databases.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useProblems } from '../stores/problems.ts'
import ActionButton from '../ui/ActionButton.vue'
import NoteBox from '../ui/NoteBox.vue'
import SelectField from '../ui/SelectField.vue'

/** How the database of the site is reached, and what Zest Lamp may do there; or a server that backups are proved on. */
const props = defineProps<{
  site: Site
  connection: DatabaseConnectionInfo
  use: DatabaseUse
  /** Kind to begin with, where nothing is known. */
  usual?: DatabaseEngine | undefined
}>()
const emit = defineEmits<{ changed: [connection: DatabaseConnectionInfo] }>()
const problems = useProblems()

const ENGINES: { value: DatabaseEngine; title: string }[] = [
  { value: 'mariadb', title: 'MariaDB or MySQL' },
  { value: 'postgresql', title: 'PostgreSQL' },
]
const WAYS = [
  { value: 'direct', title: 'Directly' },
  { value: 'tunnel', title: 'Through an SSH server' },
  { value: 'socket', title: 'A socket of this machine' },
] as const
type Way = (typeof WAYS)[number]['value']

const known = props.connection.place
const engine = ref<DatabaseEngine>(known?.engine ?? props.usual ?? 'mariadb')
const way = ref<Way>(known?.tunnel ? 'tunnel' : known?.socket ? 'socket' : 'direct')
const address = ref(known?.address ?? '')
const socket = ref(known?.socket ?? '')
const database = ref(known?.database ?? '')
const user = ref(known?.user ?? '')
const password = ref('')
const usesTls = ref((known?.encryption ?? 'tls') === 'tls')
const authority = ref(known?.authority ?? '')
const sshAddress = ref(known?.tunnel?.address ?? '')
const sshUser = ref(known?.tunnel?.user ?? '')
const sshBy = ref<'password' | 'key'>('key')
const sshSecret = ref('')
const keeps = ref(props.connection.secret !== 'in-memory')
const mayCleanUp = ref(props.connection.allows === 'clean-up')
const underWay = ref<'' | 'saving' | 'forgetting'>('')

const path = computed(() => `/sites/${props.site.id}/database/${props.use === 'site' ? 'connection' : 'proof-server'}`)
const isNew = computed(() => password.value !== '' || sshSecret.value !== '' || known === null)
const secret = computed<DatabaseConnectionDraft['secret']>(() => {
  if (!isNew.value) return null
  const tunnel =
    way.value !== 'tunnel'
      ? ({ kind: 'none' } as const)
      : sshBy.value === 'key'
        ? ({ kind: 'key', key: sshSecret.value, passphrase: '' } as const)
        : ({ kind: 'password', password: sshSecret.value } as const)
  return { password: password.value, tunnel }
})
const sshFingerprint = computed(() =>
  known?.tunnel?.address === sshAddress.value.trim() ? (known.tunnel.fingerprint ?? null) : null,
)
const draft = (confirmed: string | null): DatabaseConnectionDraft => ({
  place: {
    engine: engine.value,
    address: way.value === 'socket' ? '' : address.value.trim(),
    socket: way.value === 'socket' ? socket.value.trim() : '',
    database: database.value.trim(),
    user: user.value.trim(),
    encryption: usesTls.value && way.value === 'direct' ? 'tls' : 'none',
    authority: authority.value,
    tunnel:
      way.value === 'tunnel'
        ? { address: sshAddress.value.trim(), user: sshUser.value.trim(), fingerprint: confirmed }
        : null,
  },
  secret: secret.value,
  keep: keeps.value ? 'encrypted' : 'not-kept',
  allows: mayCleanUp.value ? 'clean-up' : 'reading',
})
/** Save, and find out at once whether it works. */
const save = async (confirmed: string | null): Promise<void> => {
  underWay.value = 'saving'
  const tried = await problems.catching(async () => {
    await callApi('PUT', path.value, DatabaseConnectionInfo, draft(confirmed))
    return callApi('POST', `${path.value}/trials`, DatabaseConnectionInfo)
  })
  underWay.value = ''
  if (tried === undefined) return
  password.value = ''
  sshSecret.value = ''
  emit('changed', tried)
}
const forget = async (): Promise<void> => {
  underWay.value = 'forgetting'
  await problems.catching(async () => {
    await callApi('DELETE', path.value)
    emit('changed', await callApi('GET', path.value, DatabaseConnectionInfo))
  })
  underWay.value = ''
}
const trial = computed(() => props.connection.trial)
const saved = computed(() => (known === null ? '' : ' (empty: as before)'))
</script>

<template>
  <form class="panel form" @submit.prevent="save(sshFingerprint)">
    <div class="fields">
      <SelectField v-model="engine" :items="ENGINES" label="Kind of database" />
      <SelectField v-model="way" :items="WAYS" label="Reached" />
    </div>
    <div v-if="way === 'tunnel'" class="fields">
      <v-text-field v-model="sshAddress" label="SSH server, and port if it is not 22" placeholder="ssh.example.org" />
      <v-text-field v-model="sshUser" label="SSH user" autocomplete="off" />
      <SelectField
        v-model="sshBy"
        :items="[
          { value: 'key', title: 'Private key' },
          { value: 'password', title: 'Password' },
        ]"
        label="Signed in there by"
      />
      <v-textarea
        v-if="sshBy === 'key'"
        v-model="sshSecret"
        :label="`Private key${saved}`"
        rows="3"
        spellcheck="false"
        autocomplete="off"
      />
      <v-text-field v-else v-model="sshSecret" type="password" :label="`SSH password${saved}`" autocomplete="off" />
    </div>
    <div class="fields">
      <v-text-field
        v-if="way === 'socket'"
        v-model="socket"
        label="Path of the socket"
        placeholder="/run/mysqld/mysqld.sock"
      />
      <v-text-field
        v-else
        v-model="address"
        :label="way === 'tunnel' ? 'Host, as the SSH server sees it' : 'Host, and port if it is not the usual one'"
        :placeholder="way === 'tunnel' ? 'localhost' : 'db.example.org'"
      />
      <v-text-field
        v-model="database"
        :label="use === 'site' ? 'Name of the database' : 'A database to sign in to'"
        autocomplete="off"
      />
      <v-text-field v-model="user" label="User" autocomplete="off" />
      <v-text-field v-model="password" type="password" :label="`Password${saved}`" autocomplete="off" />
    </div>
    <template v-if="way === 'direct'">
      <v-checkbox
        v-model="usesTls"
        label="Encrypted with TLS (without it only on this machine or in a private network)"
        hide-details
        density="compact"
      />
      <details v-if="usesTls">
        <summary>A certificate of its own authority</summary>
        <v-textarea
          v-model="authority"
          label="Certificate in PEM; empty: what this machine trusts"
          rows="3"
          spellcheck="false"
        />
      </details>
    </template>
    <v-checkbox
      v-model="keeps"
      label="Save the password encrypted (otherwise it is forgotten at the next restart)"
      hide-details
      density="compact"
    />
    <v-checkbox
      v-if="use === 'site'"
      v-model="mayCleanUp"
      label="Allow clean-ups. Without this, Zest Lamp only reads."
      hide-details
      density="compact"
    />
    <NoteBox v-if="trial" :kind="trial.outcome === 'good' ? 'info' : 'warning'">
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
code {
  overflow-wrap: anywhere;
}
</style>
