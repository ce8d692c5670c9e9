<script setup lang="ts">
import { OBJECT_CACHE } from '../../core/catalogue/object-cache-guide.ts'

/** What an owner wants to know of an object cache before using one. */
const parts = [
  ['What it does', OBJECT_CACHE.does],
  ['When it helps', OBJECT_CACHE.helps],
  ['When to avoid it', OBJECT_CACHE.avoid],
  ['What could break', OBJECT_CACHE.couldBreak],
  ['What to look at', OBJECT_CACHE.lookAt],
  ['How to undo', OBJECT_CACHE.undo],
] as const
</script>

<template>
  <details>
    <summary>About the object cache</summary>
    <dl>
      <template v-for="[title, text] in parts" :key="title">
        <dt>{{ title }}</dt>
        <dd>{{ text }}</dd>
      </template>
    </dl>
  </details>
</template>

<style scoped>
details {
  margin: 0.6rem 0 1rem;
}
dl {
  max-width: 46rem;
}
dt {
  margin-top: 0.5rem;
  font-weight: 600;
}
dd {
  margin: 0;
}
</style>
