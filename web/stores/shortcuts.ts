import { defineStore } from 'pinia'
import { ref, watch } from 'vue'

const KEPT_AS = 'zest-single-keys'

/** Whether single keys do something; who dictates or types with one switch turns them off (WCAG 2.2, 2.1.4). */
export const useShortcuts = defineStore('shortcuts', () => {
  const singleKeys = ref(localStorage.getItem(KEPT_AS) !== 'off')
  watch(singleKeys, (on) => localStorage.setItem(KEPT_AS, on ? 'on' : 'off'))
  return { singleKeys }
})

/** Whether somebody is writing, so that a key is a letter. */
export const isWriting = (target: EventTarget | null): boolean =>
  target instanceof HTMLElement && target.closest('input, textarea, select, dialog, [contenteditable]') !== null
