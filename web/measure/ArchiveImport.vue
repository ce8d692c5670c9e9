<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'
import { MeasurementHead } from '../../core/contracts/measurements.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useSite } from '../stores/site.ts'
import { useProblems } from '../stores/problems.ts'

/** Read in an archive that somebody saved from their browser. */
const props = defineProps<{ site: Site }>()
const siteData = useSite()
const problems = useProblems()
const router = useRouter()
const reading = ref(false)
const why = ref('')

const parsed = (text: string): unknown => {
  try {
    return JSON.parse(text)
  } catch {
    return undefined
  }
}
const take = async (event: Event): Promise<void> => {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (file === undefined) return
  why.value = ''
  reading.value = true
  const har = parsed(await file.text())
  if (har === undefined)
    why.value = `${file.name} is not JSON. In the browser’s network panel, save the page load as HAR.`
  else {
    const head = await problems.catching(() => callApi('POST', siteData.path('/archives'), MeasurementHead, { har }))
    if (head !== undefined)
      await router.push({ name: 'measurement', params: { siteId: props.site.id, measurementId: head.id } })
  }
  reading.value = false
}
</script>

<template>
  <label class="import small">
    Import an archive (HAR) from a browser
    <input type="file" accept=".har,application/json" :disabled="reading" @change="take" />
  </label>
  <p v-if="why" class="small failed" role="alert">{{ why }}</p>
</template>

<style scoped>
.import {
  display: flex;
  flex-wrap: wrap;
  gap: 0.3rem 0.8rem;
  align-items: center;
}
.failed {
  color: rgb(var(--v-theme-error));
}
</style>
