<script setup lang="ts">
import { computed, ref, shallowRef } from 'vue'
import {
  ObjectsContent,
  ObjectsEntries,
  ObjectsFlushed,
  type ObjectsEntry,
  type ObjectsGroup,
} from '../../core/contracts/objects.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import { callApi } from '../api/client.ts'
import { bytes, whole } from '../format/show.ts'
import { useProblems } from '../stores/problems.ts'
import ActionButton from '../ui/ActionButton.vue'
import SelectField from '../ui/SelectField.vue'

/** Look at entries, and empty the object cache or a part of it. */
const props = defineProps<{ site: Site; groups: readonly ObjectsGroup[] }>()
const emit = defineEmits<{ changed: [] }>()
const problems = useProblems()
const prefix = ref('')
const done = ref('')
const found = shallowRef<ObjectsEntries | null>(null)
const content = shallowRef<{ key: string; content: ObjectsContent } | null>(null)
const page = ref('/')
const fill = ref(false)
const working = ref(false)
const items = computed(() => [
  { value: '', title: 'All keys' },
  ...props.groups.map((group) => ({ value: group.prefix, title: `Keys that begin with ${group.prefix}` })),
])
const flush = async (): Promise<void> => {
  const order = { prefix: prefix.value, fill: fill.value }
  const came = await problems.catching(() =>
    callApi('POST', `/sites/${props.site.id}/objects/flushes`, ObjectsFlushed, order),
  )
  if (came === undefined) return
  done.value = `${came.removed === 1 ? '1 entry' : `${whole(came.removed)} entries`} removed. ${fill.value ? 'Pages are built now, to fill it again.' : 'The next reads miss and fill it again.'}`
  found.value = null
  emit('changed')
}
const flushPage = async (): Promise<void> => {
  working.value = true
  const order = { page: page.value }
  const came = await problems.catching(() =>
    callApi('POST', `/sites/${props.site.id}/objects/flushes`, ObjectsFlushed, order),
  )
  working.value = false
  if (came === undefined) return
  done.value = `${came.removed === 1 ? '1 entry' : `${whole(came.removed)} entries`} that ${page.value} reads removed.`
  found.value = null
  emit('changed')
}
/** Content may be personal: it is asked for one entry at a time. */
const show = async ({ key, db }: ObjectsEntry): Promise<void> => {
  const query = new URLSearchParams({ key, db: String(db) })
  const came = await problems.catching(() =>
    callApi('GET', `/sites/${props.site.id}/objects/content?${query}`, ObjectsContent),
  )
  if (came !== undefined) content.value = { key, content: came }
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
    <v-checkbox v-model="fill" label="Then build pages to fill it" />
    <span role="status">{{ done }}</span>
  </div>
  <div class="bar choose">
    <v-text-field v-model="page" label="What this page reads" class="which" />
    <ActionButton :under-way="working" :disabled="!page.startsWith('/')" @click="flushPage">Empty that</ActionButton>
    <span class="small muted">The page is built once for a signed-out visitor, and what is read meanwhile goes.</span>
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
          <th scope="col"><span class="visually-hidden">Content</span></th>
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
          <td><v-btn size="small" :aria-label="`Content of ${entry.key}`" @click="show(entry)">Content</v-btn></td>
        </tr>
        <tr v-if="found.entries.length === 0">
          <td colspan="7" class="muted">There are none.</td>
        </tr>
      </tbody>
    </table>
    <p v-if="found.more" class="small muted">There are more; choose a group to see fewer.</p>
  </div>
  <section v-if="content" class="panel content" aria-label="Content of an entry">
    <h3>
      <code>{{ content.key }}</code>
    </h3>
    <p class="small muted">
      {{ content.content.type }}, {{ bytes(content.content.bytes) }}. It may be somebody’s personal data.
      <template v-if="content.content.cut">Only the beginning is shown.</template>
    </p>
    <ul>
      <li v-for="(part, at) in content.content.parts" :key="at">
        <code v-if="part.name !== null">{{ part.name }}: </code>
        <code>{{ part.binary ? `no text, in hexadecimal: ${part.text}` : part.text }}</code>
      </li>
    </ul>
    <v-btn size="small" @click="content = null">Close</v-btn>
  </section>
</template>

<style scoped>
.content ul {
  margin: 0.3rem 0 0.6rem;
  padding: 0;
  list-style: none;
}
.content li code {
  white-space: pre-wrap;
}
.choose {
  align-items: center;
  margin-bottom: 0.9rem;
}
.which {
  min-width: 18rem;
}
code {
  overflow-wrap: anywhere;
}
</style>
