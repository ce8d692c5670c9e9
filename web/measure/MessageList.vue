<script setup lang="ts">
import { computed } from 'vue'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useSite } from '../stores/site.ts'
import { useProblems } from '../stores/problems.ts'
import { when } from '../format/show.ts'

/** What the routine had to say, newest first; unread ones are bold. */
const props = defineProps<{ site: Site; unreadOnly?: boolean }>()
const siteData = useSite()
const problems = useProblems()
const shown = computed(() => siteData.messages.filter(({ read }) => !read || props.unreadOnly !== true))
const unread = computed(() => siteData.messages.some(({ read }) => !read))
const readAll = (): void =>
  void problems.catching(async () => {
    await callApi('POST', `/sites/${props.site.id}/messages/read`)
    await siteData.loadMessages()
  })
</script>

<template>
  <p v-if="shown.length === 0" class="muted">No messages.</p>
  <ul v-else class="messages">
    <li v-for="message in shown" :key="message.id" :class="{ unread: !message.read }">
      <span class="muted small">{{ when(message.at) }}</span> {{ message.sentence }}
      <router-link
        v-if="message.measurementId"
        :to="{ name: 'measurement', params: { siteId: site.id, measurementId: message.measurementId } }"
        >Open the measurement</router-link
      >
    </li>
  </ul>
  <v-btn v-if="unread" size="small" @click="readAll">Mark all as read</v-btn>
</template>

<style scoped>
.messages {
  list-style: none;
  padding: 0;
  display: grid;
  gap: 0.35rem;
  margin-bottom: 0.6rem;
}
.unread {
  font-weight: 600;
}
</style>
