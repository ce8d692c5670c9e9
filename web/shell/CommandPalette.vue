<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import ModalDialog from '../ui/ModalDialog.vue'

/** Everything by keyboard: Ctrl+K or Cmd+K, type, Enter. */
export interface Command {
  readonly title: string
  readonly hint?: string
  readonly run: () => unknown
}
/** Loaded when it is wanted for the first time, and then open at once. */
const props = defineProps<{ commands: readonly Command[]; opened?: boolean }>()

const open = ref(props.opened)
const words = ref('')
const at = ref(0)
const field = ref<HTMLInputElement | null>(null)

const found = computed(() => {
  const parts = words.value.toLowerCase().split(/\s+/).filter(Boolean)
  return props.commands.filter(({ title, hint = '' }) =>
    parts.every((part) => `${title} ${hint}`.toLowerCase().includes(part)),
  )
})
watch(words, () => (at.value = 0))
watch(open, async (now) => {
  words.value = ''
  at.value = 0
  if (now) await nextTick(() => field.value?.focus())
})
const run = (command: Command | undefined): void => {
  if (command === undefined) return
  open.value = false
  command.run()
}
const onKey = (event: KeyboardEvent): void => {
  if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k') {
    event.preventDefault()
    open.value = !open.value
  }
}
const onFieldKey = (event: KeyboardEvent): void => {
  const step = { ArrowDown: 1, ArrowUp: -1 }[event.key]
  if (step !== undefined) {
    event.preventDefault()
    at.value = (at.value + step + found.value.length) % Math.max(1, found.value.length)
  } else if (event.key === 'Enter') run(found.value[at.value])
}
onMounted(async () => {
  window.addEventListener('keydown', onKey)
  if (open.value) await nextTick(() => field.value?.focus())
})
onBeforeUnmount(() => window.removeEventListener('keydown', onKey))
defineExpose({ show: () => (open.value = true) })
</script>

<template>
  <ModalDialog label="Go to" v-model="open" :width="520">
    <div class="palette panel">
      <label class="visually-hidden" for="palette-field">What to do</label>
      <input
        id="palette-field"
        ref="field"
        v-model="words"
        placeholder="Go to a page, or do something"
        role="combobox"
        aria-expanded="true"
        aria-controls="palette-list"
        :aria-activedescendant="`command-${at}`"
        autocomplete="off"
        @keydown="onFieldKey"
      />
      <ul id="palette-list" role="listbox" aria-label="Commands">
        <li
          v-for="(command, index) in found"
          :id="`command-${index}`"
          :key="command.title"
          role="option"
          :aria-selected="index === at"
          @click="run(command)"
          @mousemove="at = index"
        >
          {{ command.title }} <span class="muted small">{{ command.hint }}</span>
        </li>
        <li v-if="found.length === 0" class="muted" role="option" aria-selected="false">No matches</li>
      </ul>
    </div>
  </ModalDialog>
</template>

<style scoped>
.palette {
  padding: 0;
}
input {
  width: 100%;
  padding: 0.8rem 1rem;
  font: inherit;
  font-size: 1.05rem;
  border-bottom: 1px solid rgb(var(--v-theme-line));
  outline-offset: -2px;
}
ul {
  list-style: none;
  padding: 0.3rem;
  max-height: 50vh;
  overflow: auto;
}
li {
  padding: 0.4rem 0.7rem;
  cursor: pointer;
}
li[aria-selected='true'] {
  background: rgb(var(--v-theme-surface-variant));
  color: rgb(var(--v-theme-on-surface-variant));
}
</style>
