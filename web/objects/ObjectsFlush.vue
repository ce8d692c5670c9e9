<script setup lang="ts">
import { computed, ref, shallowRef } from 'vue'
import { ObjectsEntries, ObjectsFlushed, type ObjectsGroup } from '../../core/contracts/objects.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import { callApi } from '../api/client.ts'
import { bytes, whole } from '../format/show.ts'
import { useProblems } from '../stores/problems.ts'
import SelectField from '../ui/SelectField.vue'

/** Look at entries, and empty the object cache or a part of it. */
const props = defineProps<{ site: Site; groups: readonly ObjectsGroup[] }>()
const emit = defineEmits<{ changed: [] }>()
const problems = useProblems()
const prefix = ref('')
const done = ref('')
const found = shallowRef<ObjectsEntries | null>(null)
const items = computed(() => [
  { value: '', title: 'All keys' },
  ...props.groups.map((group) => ({ value: group.prefix, title: `Keys that begin with ${group.prefix}` })),
])
const flush = async (): Promise<void> => {
  const order = { prefix: prefix.value }
  const came = await problems.catching(() =>
    callApi('POST', `/sites/${props.site.id}/objects/flushes`, ObjectsFlushed, order),
  )
  if (came === undefined) return
  done.value = `${came.removed === 1 ? '1 entry' : `${whole(came.removed)} entries`} removed. The next reads miss and fill it again.`
  found.value = null
  emit('changed')
}
const look = async (): Promise<void> => {
  const query = new URLSearchParams({ prefix: prefix.value, limit: '50' })
  const came = await problems.catching(() =>
    callApi('GET', `/sites/${props.site.id}/objects/entries?${query}`, ObjectsEntries),
  )
  if (came !== undefined) found.value = came
}
</script>

<template>
  <h2>Look and empty</h2>
  <div class="bar choose">
    <SelectField v-model="prefix" :items="items" label="Keys" class="which" />
    <v-btn @click="look">Show entries</v-btn>
    <v-btn color="primary" variant="flat" @click="flush">Empty</v-btn>
    <span role="status">{{ done }}</span>
  </div>
  <div v-if="found" class="scroll">
    <table class="figures">
      <caption class="visually-hidden">
        Entries
      </caption>
      <thead>
        <tr>
          <th scope="col">Key</th>
          <th scope="col">Type</th>
          <th scope="col" class="num">Memory</th>
          <th scope="col" class="num">Written</th>
          <th scope="col" class="num">Runs out</th>
          <th scope="col">Read</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="entry in found.entries" :key="entry.key">
          <th scope="row">
            <code>{{ entry.key }}</code>
          </th>
          <td>{{ entry.type }}</td>
          <td class="num">{{ bytes(entry.bytes) }}</td>
          <td class="num">{{ roughlyInWords(entry.ageS) }} ago</td>
          <td class="num">{{ entry.ttlS === null ? 'never' : `in ${roughlyInWords(entry.ttlS)}` }}</td>
          <td>{{ entry.read ? 'yes' : 'never' }}</td>
        </tr>
        <tr v-if="found.entries.length === 0">
          <td colspan="6" class="muted">There are none.</td>
        </tr>
      </tbody>
    </table>
    <p v-if="found.more" class="small muted">There are more; choose a group to see fewer.</p>
  </div>
</template>

<style scoped>
.choose {
  align-items: center;
}
.which {
  min-width: 18rem;
}
code {
  overflow-wrap: anywhere;
}
</style>
