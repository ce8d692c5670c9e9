<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref } from 'vue'

/** What stands further down, made and loaded when the reader comes near it. */
const here = ref<HTMLElement>()
const seen = ref(false)
let watching: IntersectionObserver | undefined

onMounted(() => {
  // Where nothing can tell what is seen (tests), everything is.
  if (typeof IntersectionObserver === 'undefined') return void (seen.value = true)
  watching = new IntersectionObserver(
    (entries) => {
      if (!entries.some(({ isIntersecting }) => isIntersecting)) return
      seen.value = true
      watching?.disconnect()
    },
    { rootMargin: '300px' },
  )
  watching.observe(here.value!)
})
onBeforeUnmount(() => watching?.disconnect())
</script>

<template>
  <div ref="here" :class="{ waiting: !seen }"><slot v-if="seen" /></div>
</template>

<style scoped>
.waiting {
  min-height: 12rem;
}
</style>
