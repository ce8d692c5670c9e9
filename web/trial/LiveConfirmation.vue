<script setup lang="ts">
import type { Confirmation } from '../../core/contracts/sites.ts'

/** What live answers from outside: the first visitor fills the store, the second gets the copy. */
defineProps<{ confirmations: readonly Confirmation[] }>()
const short = (text: string): string => text.replace(/^.*zest-lamp; /, '')
const isHit = ({ answers }: Confirmation): boolean => /;\s*hit\b/.test(answers.at(-1)?.cacheStatus ?? '')
</script>

<template>
  <div class="scroll">
    <table class="figures">
      <caption class="small muted">
        {{
          confirmations.filter(isHit).length
        }}
        of
        {{
          confirmations.length
        }}
        pages came from the store on the second request.
      </caption>
      <thead>
        <tr>
          <th scope="col">Page</th>
          <th scope="col">First response</th>
          <th scope="col" class="num">Duration</th>
          <th scope="col">Second response</th>
          <th scope="col" class="num">Duration</th>
          <th scope="col">Compression</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in confirmations" :key="one.path">
          <th scope="row">{{ one.path }}</th>
          <template v-for="(answer, index) in one.answers" :key="index">
            <td>
              <code>{{ short(answer.cacheStatus) || `status ${answer.status}` }}</code>
            </td>
            <td class="num">{{ answer.tookMs.toFixed(0) }} ms</td>
          </template>
          <td>{{ one.answers.at(-1)?.coding }}</td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
caption {
  text-align: left;
  padding: 0.3rem 0.6rem;
}
</style>
