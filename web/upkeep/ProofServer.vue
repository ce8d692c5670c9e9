<script setup lang="ts">
import { onMounted, shallowRef } from 'vue'
import { DatabaseConnectionInfo, type DatabaseEngine } from '../../core/contracts/site-databases.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useProblems } from '../stores/problems.ts'
import DatabaseForm from './DatabaseForm.vue'

/** Where backups are restored for proof: here, or on a server that the owner names. */
const props = defineProps<{ site: Site; engine: DatabaseEngine | undefined }>()
const problems = useProblems()
const server = shallowRef<DatabaseConnectionInfo | null>(null)
onMounted(() =>
  problems.catching(async () => {
    server.value = await callApi('GET', `/sites/${props.site.id}/database/proof-server`, DatabaseConnectionInfo)
  }),
)
</script>

<template>
  <section v-if="server" aria-labelledby="proof-server">
    <h2 id="proof-server">Server for the proof</h2>
    <p>
      Each backup is restored once, to prove that it can be:
      <strong>{{ server.place === null ? 'on this machine' : 'on the server you have named' }}</strong>. Where this
      machine has too little memory, or no server of this kind, name another server. A new database is made there for
      each proof and removed afterwards; no other database is touched.
    </p>
    <details :open="server.place !== null">
      <summary>{{ server.place === null ? 'Name a server' : 'The server' }}</summary>
      <DatabaseForm
        :key="String(server.place)"
        :site="site"
        :connection="server"
        use="proof"
        :usual="engine"
        @changed="server = $event"
      />
    </details>
  </section>
</template>

<style scoped>
section {
  margin-top: 1.5rem;
}
</style>
