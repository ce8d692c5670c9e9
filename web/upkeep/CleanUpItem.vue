<script setup lang="ts">
import { computed } from 'vue'
import type { CleanUp } from '../../core/contracts/clean-up.ts'
import { bytes, howMany, pageName, seconds, when, whole } from '../format/show.ts'

/** One clean-up: what went, what it was worth, and the way back. */
const props = defineProps<{ cleanUp: CleanUp; busy: boolean }>()
const emit = defineEmits<{ restore: [] }>()

const VERDICTS = {
  faster: 'Faster',
  slower: 'Slower',
  'no-measurable-difference': 'No measurable difference',
} as const
const isOpen = computed(() => props.cleanUp.state === 'running' || props.cleanUp.state === 'queued')
const gone = computed(() => props.cleanUp.progress.reduce((sum, { removed, along }) => sum + removed + along, 0))
const space = computed(() => {
  const all = props.cleanUp.result?.space ?? []
  return all.reduce((sum, { before, after }) => sum + before - after, 0)
})
</script>

<template>
  <article class="panel item">
    <h3>{{ when(cleanUp.at) }}: {{ howMany(gone, 'row') }} removed</h3>
    <p v-if="cleanUp.result" role="status">{{ cleanUp.result.sentence }}</p>
    <p v-if="cleanUp.error" class="problem">{{ cleanUp.error }}</p>
    <div class="scroll" tabindex="0" role="group" aria-label="Groups of this clean-up">
      <table class="figures">
        <thead>
          <tr>
            <th scope="col">Group</th>
            <th scope="col" class="num">Removed</th>
            <th scope="col" class="num">Went along</th>
            <th scope="col" class="num">Stayed</th>
            <th scope="col">State</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="one in cleanUp.progress" :key="one.id">
            <td>{{ one.name }}</td>
            <td class="num">{{ whole(one.removed) }}</td>
            <td class="num">{{ whole(one.along) }}</td>
            <td class="num">{{ whole(one.left) }}</td>
            <td>{{ one.state === 'under-way' ? 'Under way' : one.state === 'done' ? 'Done' : 'Waiting' }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <template v-if="cleanUp.result?.loads">
      <div
        v-if="cleanUp.result.loads.pages.length > 0"
        class="scroll"
        tabindex="0"
        role="group"
        aria-label="Pages before and after"
      >
        <table class="figures">
          <caption class="visually-hidden">
            Pages before and after, loaded from the site’s own server
          </caption>
          <thead>
            <tr>
              <th scope="col">Page</th>
              <th scope="col">Visitor</th>
              <th scope="col" class="num">Main content before</th>
              <th scope="col" class="num">After</th>
              <th scope="col" class="num">Server wait before</th>
              <th scope="col" class="num">After</th>
              <th scope="col">Verdict</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="one in cleanUp.result.loads.pages" :key="`${one.path} ${one.visitorName}`">
              <td>{{ pageName(one.path) }}</td>
              <td>{{ one.visitorName }}</td>
              <td class="num">{{ seconds(one.before.msMainContent) }}</td>
              <td class="num">{{ seconds(one.after.msMainContent) }}</td>
              <td class="num">{{ one.before.msWait === null ? '–' : seconds(one.before.msWait) }}</td>
              <td class="num">{{ one.after.msWait === null ? '–' : seconds(one.after.msWait) }}</td>
              <td>{{ VERDICTS[one.verdict] }}</td>
            </tr>
          </tbody>
        </table>
      </div>
      <p v-else>Not measured in a browser: {{ cleanUp.result.loads.notMeasured }}</p>
    </template>
    <template v-if="cleanUp.result">
      <p>
        {{
          space > 0
            ? `The tables take ${bytes(space)} less.`
            : 'The tables take as much space as before; what is free in them is used again.'
        }}
        <template v-if="cleanUp.result.kept">
          What was removed is kept ({{ bytes(cleanUp.result.kept.bytes) }},
          {{
            cleanUp.result.kept.offSite
              ? 'here and at the backup place'
              : 'here only: the backup place was not reached'
          }}).
        </template>
      </p>
    </template>
    <p v-if="cleanUp.restored" role="status">{{ cleanUp.restored }}</p>
    <v-btn v-if="!isOpen && gone > 0" size="small" :disabled="busy" @click="emit('restore')">Put these rows back</v-btn>
  </article>
</template>

<style scoped>
.item {
  padding: 0.5rem 1rem 0.8rem;
  margin: 0.6rem 0;
}
h3 {
  margin: 0.2rem 0;
}
.problem {
  color: rgb(var(--v-theme-error));
}
.scroll {
  margin: 0.6rem 0;
  overflow-x: auto;
}
</style>
