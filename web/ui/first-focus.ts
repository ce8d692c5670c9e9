import type { Directive } from 'vue'

/**
 * `v-first-focus`: the field in it has the focus from the moment it is there. Vuetify's own `autofocus` gives it some 50 ms after the
 * field was first seen, and takes it from whoever is typing in another field by then: a password went on into the name.
 */
export const vFirstFocus: Directive<HTMLElement> = {
  mounted: (field) => field.querySelector('input')?.focus(),
}
