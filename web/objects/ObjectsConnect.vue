<script setup lang="ts">
import { computed } from 'vue'
import type { ObjectsConnection, ObjectsPassword, ObjectsUsage } from '../../core/contracts/objects.ts'
import { whole } from '../format/show.ts'
import ActionButton from '../ui/ActionButton.vue'

/** How a content system reaches the object cache, in the forms that they ask for, and whether it has begun to use it. */
const props = defineProps<{
  connection: ObjectsConnection
  /** A password that was just made: it is shown this once. */
  made: ObjectsPassword | null
  usage: ObjectsUsage | null
  open: boolean
  underWay: boolean
}>()
defineEmits<{ password: [] }>()

const rows = computed(() => [
  ['Host', props.connection.host],
  ['Port', String(props.connection.port)],
  [
    'TLS',
    props.connection.secure
      ? 'yes; a certificate made here stands in objects/objects-certificate.pem of the data folder'
      : 'no: it is reached from this machine only',
  ],
  ['User name', props.connection.name],
  ['Password', props.made?.password ?? (props.connection.hasPassword ? 'shown once, when it was made' : 'none yet')],
  ['Database', '0 to 15; each is a room of its own'],
  ...(props.made === null ? [] : [['All in one', props.made.url]]),
])
const begun = computed(() => {
  const { usage } = props
  if (usage === null) return ''
  if (usage.counts.commands > 0)
    return usage.clients > 0
      ? `Your content system uses it: ${whole(usage.clients)} ${usage.clients === 1 ? 'connection' : 'connections'} now.`
      : 'Your content system has used it; it is not connected now.'
  if (usage.clients > 0) return 'Your content system is connected, and has not asked for anything yet.'
  if (usage.wrongPasswords > 0)
    return `Somebody tried ${whole(usage.wrongPasswords)} times with this user name and a wrong password. Check the password in your content system.`
  return 'Your content system has not connected yet. Once it does, this changes within seconds.'
})
</script>

<template>
  <p role="status" class="begun">{{ begun }}</p>
  <details :open="open" class="panel connect">
    <summary>How to connect</summary>
    <p class="small">
      The object cache speaks RESP, the protocol of most object cache plug-ins. Enter this where your content system
      asks for its object cache; systems that know of a password only need no user name.
    </p>
    <p v-if="made" class="small"><b>Copy the password now: it is not shown again.</b> Only a digest of it is kept.</p>
    <table class="figures">
      <caption class="visually-hidden">
        How to reach the object cache
      </caption>
      <tbody>
        <tr v-for="[name, value] in rows" :key="name">
          <th scope="row">{{ name }}</th>
          <td>
            <code>{{ value }}</code>
          </td>
        </tr>
      </tbody>
    </table>
    <ActionButton size="small" :under-way="underWay" @click="$emit('password')">{{
      connection.hasPassword ? 'Make a new password' : 'Make a password'
    }}</ActionButton>
    <span v-if="connection.hasPassword" class="small muted"> The old one stops working at once.</span>
  </details>
</template>

<style scoped>
.begun {
  margin: 0.2rem 0 0.6rem;
  font-size: 1.1rem;
}
.connect {
  margin-bottom: 1rem;
}
.connect th {
  width: 9rem;
}
.connect code {
  overflow-wrap: anywhere;
}
</style>
