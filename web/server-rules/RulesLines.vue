<script setup lang="ts">
import type { RuleSection } from '../../core/server-rules/server-rules.ts'

/** Rules line by line, each with what it does. */
defineProps<{ sections: readonly RuleSection[] }>()
</script>

<template>
  <details v-for="section in sections" :key="section.id">
    <summary>{{ section.title }}</summary>
    <div class="scroll" tabindex="0">
      <table class="figures rules">
        <caption class="visually-hidden">
          {{
            section.title
          }}, line by line
        </caption>
        <thead>
          <tr>
            <th scope="col">Line</th>
            <th scope="col">What it does</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(one, at) in section.lines" :key="at">
            <td>
              <code>{{ one.text }}</code>
            </td>
            <td>{{ one.why }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </details>
</template>

<style scoped>
.rules td {
  vertical-align: top;
  min-width: 12rem;
}
.rules code {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
</style>
