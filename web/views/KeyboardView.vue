<script setup lang="ts">
import { PLACES } from '../shell/places.ts'
import { useShortcuts } from '../stores/shortcuts.ts'

const shortcuts = useShortcuts()
const EVERYWHERE = [
  ['Ctrl K or ⌘ K', 'Go to a place or a site, or do something: type a few letters, then Enter'],
  ['Tab, Shift Tab', 'To the next or the previous control'],
  ['Enter, Space', 'Press a button, open a link, tick a box'],
  ['Esc', 'Close a dialog, or what is open beside a list'],
  ['Arrow keys', 'Choose within a list, a group of options, or a filmstrip'],
] as const
</script>

<template>
  <div class="view">
    <h1>Keyboard</h1>
    <p>Everything can be done without a mouse.</p>
    <div class="scroll">
      <table class="figures">
        <caption class="visually-hidden">
          Keys that work everywhere
        </caption>
        <thead>
          <tr>
            <th scope="col">Keys</th>
            <th scope="col">What they do</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="[keys, what] in EVERYWHERE" :key="keys">
            <td class="keys">{{ keys }}</td>
            <td>{{ what }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <h2>Single keys</h2>
    <p class="muted small">They work while nothing is being typed, and can be switched off.</p>
    <v-switch v-model="shortcuts.singleKeys" label="Single keys do something" />
    <div class="scroll">
      <table class="figures">
        <caption class="visually-hidden">
          Single keys
        </caption>
        <thead>
          <tr>
            <th scope="col">Key</th>
            <th scope="col">What it does</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(place, index) in PLACES" :key="place.name">
            <td class="keys">{{ index + 1 }}</td>
            <td>Open {{ place.title }} of the open site</td>
          </tr>
          <tr>
            <td class="keys">?</td>
            <td>Open this page</td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped>
.view {
  padding: 1.2rem 1.4rem;
}
.keys {
  width: 12rem;
  font-weight: 600;
}
</style>
