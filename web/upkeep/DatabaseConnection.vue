<script setup lang="ts">
import type { DatabaseConnectionInfo } from '../../core/contracts/site-databases.ts'
import type { Site } from '../../core/contracts/sites.ts'
import DatabaseForm from './DatabaseForm.vue'
import ProofServer from './ProofServer.vue'

/** The database of the site, and where its backups are proved. */
defineProps<{ site: Site; connection: DatabaseConnectionInfo }>()
const emit = defineEmits<{ changed: [connection: DatabaseConnectionInfo] }>()
</script>

<template>
  <p>
    Say how the database of the site is reached. Its password is encrypted with a key that is not in Zest Lamp’s
    database. Nothing is changed unless you allow it.
  </p>
  <DatabaseForm :site="site" :connection="connection" use="site" @changed="emit('changed', $event)" />
  <ProofServer :key="connection.place?.engine" :site="site" :engine="connection.place?.engine" />
</template>
