<script setup lang="ts">
import ActionButton from './ActionButton.vue'

/** Where there is nothing to show yet: what comes next, in one sentence, and a button that does it. */
defineProps<{ sentence: string; action: string; underWay?: boolean; disabled?: boolean }>()
defineEmits<{ go: [] }>()
</script>

<template>
  <div class="next panel">
    <p>{{ sentence }}</p>
    <div class="bar">
      <ActionButton
        color="primary"
        variant="flat"
        :under-way="underWay ?? false"
        :disabled="disabled"
        @click="$emit('go')"
        >{{ action }}</ActionButton
      >
      <slot />
    </div>
  </div>
</template>

<style scoped>
.next {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: center;
  gap: 0.6rem 1.5rem;
  margin-bottom: 0.9rem;
  border-left: 4px solid rgb(var(--v-theme-live));
}
.next p {
  flex: 1 1 24rem;
  margin: 0;
}
</style>
