<script setup lang="ts">
import type { Limit } from '../../core/contracts/findings.ts'

/** What stays slow whatever is switched on, and who could change it. */
defineProps<{ limits: readonly Limit[] }>()
</script>

<template>
  <section v-if="limits.length > 0" aria-labelledby="limits">
    <h2 id="limits">What Zest Lamp cannot fix</h2>
    <ul>
      <li v-for="limit in limits" :key="limit.title">
        <b>{{ limit.title }}</b> (about {{ Math.round(limit.share * 100) }}%). {{ limit.sentence }}
      </li>
    </ul>
  </section>
</template>

<style scoped>
ul {
  padding-left: 1.1rem;
  max-width: 76ch;
}
</style>
