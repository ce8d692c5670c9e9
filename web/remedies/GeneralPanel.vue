<script setup lang="ts">
import { computed } from 'vue'
import type { Setup } from '../../core/contracts/setup.ts'

/** What belongs to the site as a whole rather than to one remedy: transport, and what follows a change of content. */
const props = defineProps<{ trial: Setup; disabled: boolean }>()
const emit = defineEmits<{ change: [setup: Setup] }>()

const events = computed(() => props.trial.contentEvents)
const set = (change: Partial<Setup>): void => emit('change', { ...props.trial, ...change })
const setEvents = (change: Partial<Setup['contentEvents']>): void =>
  set({ contentEvents: { ...events.value, ...change } })
const lines = (text: string): string[] =>
  text
    .split('\n')
    .map((line) => line.trim())
    .filter((line) => line !== '')
/** One rule a line: what changes, an arrow, what is old too; groups after a number sign. */
const rules = computed(() =>
  events.value.rules
    .map(
      ({ paths, alsoPaths, alsoGroups }) =>
        `${paths.join(' ')} => ${[...alsoPaths, ...alsoGroups.map((group) => `#${group}`)].join(' ')}`,
    )
    .join('\n'),
)
const setRules = (text: string): void =>
  setEvents({
    rules: lines(text)
      .map((line) => line.split('=>').map((part) => part.split(/\s+/).filter((word) => word !== '')))
      .filter(([paths = [], also = []]) => paths.length > 0 && also.length > 0)
      .map(([paths = [], also = []]) => ({
        paths,
        alsoPaths: also.filter((word) => !word.startsWith('#')),
        alsoGroups: also.filter((word) => word.startsWith('#')).map((word) => word.slice(1)),
      })),
  })
const valueOf = (event: Event): string => (event.target as HTMLTextAreaElement).value
</script>

<template>
  <article class="panel" aria-labelledby="general-head">
    <h3 id="general-head">The site as a whole</h3>
    <div class="general">
      <v-switch
        :model-value="trial.redirectToHttps"
        label="Redirect visitors from HTTP to HTTPS"
        :disabled="disabled"
        @update:model-value="(on: unknown) => set({ redirectToHttps: on === true })"
      />
      <v-switch
        :model-value="trial.serverTiming"
        label="Show in Server-Timing how each response was made"
        :disabled="disabled"
        @update:model-value="(on: unknown) => set({ serverTiming: on === true })"
      />
    </div>
    <details>
      <summary>What is purged after a change</summary>
      <div class="general">
        <v-radio-group
          :model-value="events.manner"
          label="After a change"
          density="compact"
          hide-details
          :disabled="disabled"
          @update:model-value="(manner) => setEvents({ manner: manner as 'hard' | 'soft' })"
        >
          <v-radio value="hard" label="remove the old page; the next visitor waits for the new one" />
          <v-radio value="soft" label="fetch the new page at once; visitors get the old one until then" />
        </v-radio-group>
        <div>
          <v-switch
            :model-value="events.home"
            label="Purge the home page with every change"
            :disabled="disabled"
            @update:model-value="(on: unknown) => setEvents({ home: on === true })"
          />
          <v-switch
            :model-value="events.lists"
            label="Purge the lists above a page: /stories for /stories/storm"
            :disabled="disabled"
            @update:model-value="(on: unknown) => setEvents({ lists: on === true })"
          />
          <v-switch
            :model-value="events.dependants"
            label="Purge stored pages that link to it, numbered pages and archives"
            :disabled="disabled"
            @update:model-value="(on: unknown) => setEvents({ dependants: on === true })"
          />
        </div>
        <v-textarea
          :model-value="events.feeds.join('\n')"
          label="Feeds and sitemaps, one per line"
          hint="They are purged with every change."
          persistent-hint
          rows="3"
          auto-grow
          :disabled="disabled"
          @change="(event: Event) => setEvents({ feeds: lines(valueOf(event)) })"
        />
        <v-textarea
          :model-value="rules"
          label="Your own rules, one per line"
          hint="When a page on the left changes, the pages on the right are purged too: /timetables/* => /quays/* #departures. A number sign names a group."
          persistent-hint
          rows="3"
          auto-grow
          placeholder="/timetables/* => /quays/*"
          :disabled="disabled"
          @change="(event: Event) => setRules(valueOf(event))"
        />
      </div>
    </details>
  </article>
</template>

<style scoped>
h3 {
  margin: 0;
}
.general {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(320px, 1fr));
  gap: 0.4rem 1.4rem;
}
summary {
  padding: 0.35rem 0;
  font-weight: 600;
}
@media (max-width: 760px) {
  .general {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
