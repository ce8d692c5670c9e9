<script setup lang="ts">
import { computed } from 'vue'
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import type { ObjectsUsage } from '../../core/contracts/objects.ts'
import { kneeOf, missRatioAt } from '../../core/objects/miss-ratio-curve.ts'
import { bytes } from '../format/show.ts'

/** How much memory is worth: the share of reads that would miss with more or less of it. */
const props = defineProps<{ usage: ObjectsUsage }>()

const MB = 1_000_000
const DAY_MS = 86_400_000
const STEPS = [1, 2, 4, 8, 16, 32, 64, 128, 256, 512, 1024, 2048, 4096].map((mb) => mb * MB)
const knee = computed(() => kneeOf(props.usage.curve))
const readsPerDay = computed(() => {
  const { counts, since } = props.usage
  return ((counts.hits + counts.misses) * DAY_MS) / Math.max(1, Date.now() - since)
})
const percent = (ratio: number): string => `${(100 * ratio).toFixed(ratio < 0.1 ? 1 : 0)}%`
const rows = computed(() => {
  const { curve, boundBytes, missMs } = props.usage
  const end = Math.max(boundBytes, knee.value?.bytes ?? 0)
  const steps = [...new Set([...STEPS.filter((step) => step <= 4 * end && step >= boundBytes / 32), boundBytes])]
  const now = missRatioAt(curve, boundBytes)
  return steps
    .toSorted((a, b) => a - b)
    .map((step) => {
      const missRatio = missRatioAt(curve, step)
      const savedMs = missMs === null ? null : (now - missRatio) * readsPerDay.value * missMs
      return { bytes: step, missRatio, savedMs, isBound: step === boundBytes }
    })
})
const sentence = computed(() => {
  if (knee.value === undefined) return ''
  const { boundBytes } = props.usage
  const needed = `From about ${bytes(knee.value.bytes)} on, more memory answers less than one read in a hundred more.`
  return knee.value.bytes > boundBytes
    ? `${needed} The bound is ${bytes(boundBytes)}.`
    : `${needed} The bound of ${bytes(boundBytes)} is enough.`
})
</script>

<template>
  <h2>What memory is worth</h2>
  <p v-if="usage.curve.length === 0" class="muted">Too little was read yet to tell. It takes some hundred reads.</p>
  <template v-else>
    <p>{{ sentence }}</p>
    <table class="figures worth">
      <caption class="visually-hidden">
        Share of reads that would miss, by memory
      </caption>
      <thead>
        <tr>
          <th scope="col" class="num">Memory</th>
          <th scope="col">Reads that would miss</th>
          <th scope="col" class="num">Work of your server (origin) a day, against now</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="row in rows" :key="row.bytes" :class="{ bound: row.isBound }">
          <td class="num">{{ bytes(row.bytes) }}<template v-if="row.isBound"> (now)</template></td>
          <td><span class="bar-of" :style="{ width: `${60 * row.missRatio}%` }" /> {{ percent(row.missRatio) }}</td>
          <td class="num">
            <template v-if="row.savedMs === null || row.isBound || Math.abs(row.savedMs) < 500">–</template>
            <template v-else
              >{{ roughlyInWords(Math.abs(row.savedMs) / 1000) }} {{ row.savedMs > 0 ? 'less' : 'more' }}</template
            >
          </td>
        </tr>
      </tbody>
    </table>
    <p class="small muted">
      From your site’s own reads, for a cache that throws out what was read longest ago; sampled, at most 2 points off.
    </p>
  </template>
</template>

<style scoped>
.worth {
  max-width: 46rem;
}
.worth td:nth-child(2) {
  width: 50%;
}
.bar-of {
  display: inline-block;
  height: 0.7rem;
  background: rgb(var(--v-theme-origin));
}
.bound {
  font-weight: 600;
}
</style>
