<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref } from 'vue'

/** What stands further down, made and loaded when the reader comes near it, or prints. */
const here = ref<HTMLElement>()
const seen = ref(false)
let watching: IntersectionObserver | undefined

const show = (): void => {
  seen.value = true
  watching?.disconnect()
}

onMounted(() => {
  window.addEventListener('beforeprint', show)
  // Where nothing can tell what is seen (tests), everything is.
  if (typeof IntersectionObserver === 'undefined') return show()
  watching = new IntersectionObserver((entries) => entries.some(({ isIntersecting }) => isIntersecting) && show(), {
    rootMargin: '300px',
  })
  watching.observe(here.value!)
})
onBeforeUnmount(() => {
  window.removeEventListener('beforeprint', show)
  watching?.disconnect()
})
</script>

<template>
  <div ref="here" :class="{ waiting: !seen }"><slot v-if="seen" /></div>
</template>

<style scoped>
.waiting {
  min-height: 12rem;
}
</style>
