<script setup lang="ts">
import { mdiClose } from '@mdi/js'
import { computed, ref } from 'vue'
import { RemedyException } from '../../core/contracts/rewriting.ts'
import SelectField from '../ui/SelectField.vue'

/** What a remedy leaves alone, each with its reason. */
const props = defineProps<{
  label: string
  hint: string
  by: readonly RemedyException['by'][]
  exceptions: readonly RemedyException[]
  disabled?: boolean
}>()
const emit = defineEmits<{ change: [exceptions: RemedyException[]] }>()

const KINDS = {
  file: {
    title: 'File',
    placeholder: 'slider.js',
    hint: 'a style, script, picture or font; “*” stands for anything',
  },
  address: { title: 'Page', placeholder: '/tickets', hint: 'a page and all below it' },
  selector: { title: 'Elements', placeholder: '.gallery img', hint: 'elements of pages, by CSS selector' },
} as const
const kinds = computed(() => props.by.map((value) => ({ value, title: KINDS[value].title })))
const by = ref<RemedyException['by']>(props.by[0]!)
const value = ref('')
const reason = ref('')
const complaint = ref('')

const add = (): void => {
  const made = RemedyException.safeParse({ by: by.value, value: value.value, reason: reason.value })
  complaint.value = made.success ? '' : (made.error.issues[0]?.message ?? 'This cannot be excluded.')
  if (!made.success) return
  emit('change', [...props.exceptions, made.data])
  value.value = ''
  reason.value = ''
}
const remove = (index: number): void =>
  emit(
    'change',
    props.exceptions.filter((_one, place) => place !== index),
  )
</script>

<template>
  <fieldset>
    <legend>{{ label }}</legend>
    <p class="muted small">{{ hint }}</p>
    <table v-if="exceptions.length > 0" class="figures">
      <thead>
        <tr>
          <th scope="col">What</th>
          <th scope="col">Excluded</th>
          <th scope="col">Why</th>
          <th scope="col"><span class="visually-hidden">Remove</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(one, index) in exceptions" :key="one.by + one.value">
          <td>{{ KINDS[one.by].title }}</td>
          <td>
            <code>{{ one.value }}</code>
          </td>
          <td>{{ one.reason || '–' }}</td>
          <td class="num">
            <v-btn
              size="x-small"
              variant="text"
              :icon="mdiClose"
              :aria-label="`No longer exclude ${one.value}`"
              :disabled="disabled"
              @click="remove(index)"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <div class="adding">
      <SelectField v-model="by" :items="kinds" label="Exclude a" :disabled="disabled" />
      <v-text-field
        v-model="value"
        :label="KINDS[by].title"
        :placeholder="KINDS[by].placeholder"
        :hint="KINDS[by].hint"
        persistent-hint
        :error-messages="complaint"
        :disabled="disabled"
        @keydown.enter.prevent="add"
      />
      <v-text-field v-model="reason" label="Why" maxlength="300" :disabled="disabled" @keydown.enter.prevent="add" />
      <v-btn :disabled="disabled || value.trim() === ''" @click="add">Exclude</v-btn>
    </div>
  </fieldset>
</template>

<style scoped>
fieldset {
  padding: 0;
  border: 0;
  min-width: 0;
}
legend {
  font-weight: 650;
}
p {
  margin: 0 0 0.4rem;
}
.adding {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 150px), 1fr));
  gap: 0.5rem;
  align-items: start;
  margin-top: 0.5rem;
}
code {
  overflow-wrap: anywhere;
}
</style>
