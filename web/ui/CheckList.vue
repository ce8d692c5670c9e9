<script setup lang="ts">
/** Some of a list, chosen by check boxes under one heading. */
defineProps<{ legend: string; items: readonly { id: string; title: string; hint?: string }[] }>()
const chosen = defineModel<string[]>({ required: true })
</script>

<template>
  <fieldset>
    <legend>{{ legend }}</legend>
    <v-checkbox
      v-for="item in items"
      :key="item.id"
      v-model="chosen"
      :value="item.id"
      :label="item.title"
      :title="item.hint"
    />
    <slot />
  </fieldset>
</template>

<style scoped>
fieldset :deep(.v-selection-control) {
  min-height: 30px;
}
</style>
