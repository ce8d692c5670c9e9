<script setup lang="ts">
import { useId } from 'vue'

/** A text field that suggests values, and takes any other as well. */
defineProps<{ suggestions: readonly string[]; label: string }>()
const model = defineModel<string>({ required: true })
const id = useId()
</script>

<template>
  <div>
    <v-text-field v-model="model" :label="label" :list="id" autocomplete="off" />
    <datalist :id="id">
      <option v-for="one in suggestions" :key="one" :value="one" />
    </datalist>
  </div>
</template>
