<script setup lang="ts">
import { computed } from 'vue'
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import type { ObjectsUsage } from '../../core/contracts/objects.ts'
import { groupAdvice } from '../../core/objects/group-advice.ts'
import { bytes, whole } from '../format/show.ts'

/** Groups of keys that begin alike, and what stands out about them. */
const props = defineProps<{ usage: ObjectsUsage }>()
const used = computed(() => props.usage.groups.reduce((sum, group) => sum + group.bytes, 0))
const advice = computed(() => groupAdvice(props.usage.groups, used.value))
const percent = (part: number, all: number): string => (all === 0 ? '–' : `${Math.round((100 * part) / all)}%`)
</script>

<template>
  <h2>Groups of keys</h2>
  <ul v-if="advice.length > 0" class="advice">
    <li v-for="one in advice" :key="one.prefix">{{ one.sentence }}</li>
  </ul>
  <div class="scroll">
    <table class="figures">
      <caption class="visually-hidden">
        Groups of keys by how they begin
      </caption>
      <thead>
        <tr>
          <th scope="col">Keys that begin with</th>
          <th scope="col" class="num">Entries</th>
          <th scope="col" class="num">Memory</th>
          <th scope="col" class="num">Never read</th>
          <th scope="col" class="num">Median age</th>
          <th scope="col" class="num">Reads</th>
          <th scope="col" class="num">Hits</th>
          <th scope="col" class="num">Writes</th>
          <th scope="col" class="num">Lost unread</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="group in usage.groups" :key="group.prefix">
          <th scope="row">
            <code>{{ group.prefix }}</code>
          </th>
          <td class="num">{{ whole(group.entries) }}</td>
          <td class="num">{{ bytes(group.bytes) }}</td>
          <td class="num">{{ percent(group.unread, group.entries) }}</td>
          <td class="num">{{ group.entries === 0 ? '–' : roughlyInWords(group.medianAgeS) }}</td>
          <td class="num">{{ whole(group.hits + group.misses) }}</td>
          <td class="num">{{ percent(group.hits, group.hits + group.misses) }}</td>
          <td class="num">{{ whole(group.writes) }}</td>
          <td class="num">{{ whole(group.evictedUnread) }}</td>
        </tr>
        <tr v-if="usage.groups.length === 0">
          <td colspan="9" class="muted">Nothing is stored now.</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.advice {
  margin: 0 0 0.8rem;
  padding-left: 1.2rem;
}
</style>
