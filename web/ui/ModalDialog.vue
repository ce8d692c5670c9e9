<script setup lang="ts">
import { nextTick, ref, watch } from 'vue'

/**
 * What must be answered before anything else. The browser's own modal dialog: it keeps the focus inside, closes on Escape, makes the
 * page behind it inert, and gives the focus back to where it was.
 */
const { label, width = 620 } = defineProps<{ label: string; width?: number }>()
const open = defineModel<boolean>({ required: true })
const dialog = ref<HTMLDialogElement>()

watch(
  open,
  async (is) => {
    if (!is) return dialog.value?.close()
    await nextTick()
    dialog.value?.showModal()
  },
  // Before the element goes: only then does the browser give the focus back.
  { immediate: true, flush: 'sync' },
)
</script>

<template>
  <dialog
    v-if="open"
    ref="dialog"
    :aria-label="label"
    :style="{ maxWidth: `min(${width}px, 100vw - 2rem)` }"
    @close="open = false"
    @mousedown.self="open = false"
  >
    <!-- Scrolls by itself: a press on a scrollbar of the dialog's own would be taken for one beside it. -->
    <div class="content"><slot /></div>
  </dialog>
</template>

<style scoped>
dialog {
  width: 100%;
  max-height: none;
  margin: auto;
  padding: 0;
  border: 0;
  background: rgb(var(--v-theme-surface));
  color: rgb(var(--v-theme-on-surface));
  box-shadow: 0 0.8rem 2.4rem rgb(0 0 0 / 0.35);
}
.content {
  max-height: calc(100dvh - 2rem);
  overflow: auto;
}
dialog::backdrop {
  background: rgb(0 0 0 / 0.5);
}
</style>
