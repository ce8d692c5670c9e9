<script setup lang="ts">
import { computed } from 'vue'
import type { LoadTest } from '../../core/contracts/load-tests.ts'
import LoadCurves from '../charts/LoadCurves.vue'
import { howMany, pageName, seconds, when } from '../format/show.ts'
import { rate, resultSentences } from './load-words.ts'

/** One load test: what each target handles, as curves and as tables. */
const props = defineProps<{ test: LoadTest }>()
const asked = computed(() => {
  const { pages, mix, signedIn } = props.test
  const names = pages
    .slice(0, 3)
    .map(({ target, share }) => `${pageName(target)} ${Math.round(share * 100)}%`)
    .join(', ')
  const more = pages.length > 3 ? ` and ${howMany(pages.length - 3, 'more page')}` : ''
  return `${signedIn ? 'Signed-in visitors' : 'Signed-out visitors'} requested ${names}${more}${mix === 'counted' ? ', in the shares in which visitors of live do' : ', in equal shares'}.`
})
const failures = ({ failed }: LoadTest['curves'][number]['steps'][number]): string =>
  [
    ...(failed.refused > 0 ? [`${failed.refused} not connected`] : []),
    ...(failed.timedOut > 0 ? [`${failed.timedOut} gave up waiting`] : []),
    ...(failed.limited > 0 ? [`${failed.limited} with status 429`] : []),
    ...(failed.serverErrors > 0 ? [`${failed.serverErrors} with status 500 and above`] : []),
  ].join(', ') || 'none'
const wait = (ms: number | null): string => (ms === null ? '–' : seconds(ms))
</script>

<template>
  <section class="test">
    <p class="muted small">{{ when(test.at) }}, by {{ test.by }}. {{ asked }}</p>
    <p v-if="test.sameMachine" class="small">
      Your server (origin) runs on the machine that sends the visitors, so they take processor time from it: on machines
      of their own all of them would handle more.
    </p>
    <LoadCurves :curves="test.curves" :bounds="test.bounds" />
    <article v-for="curve in test.curves" :key="curve.name">
      <h3>{{ curve.name }}</h3>
      <p v-if="curve.result">{{ resultSentences(curve.result, test.bounds).join(' ') }}</p>
      <p v-else class="muted">{{ curve.steps.length === 0 ? 'Not tested yet.' : 'Not finished.' }}</p>
      <details v-if="curve.steps.length > 0">
        <summary>{{ howMany(curve.steps.length, 'rate') }}</summary>
        <div class="scroll" tabindex="0">
          <table class="figures">
            <caption class="visually-hidden">
              Rates tried at
              {{
                curve.name
              }}
            </caption>
            <thead>
              <tr>
                <th scope="col" class="num">Visitors a second</th>
                <th scope="col" class="num">Visitors</th>
                <th scope="col" class="num">Half of the pages within</th>
                <th scope="col" class="num">19 of 20 within</th>
                <th scope="col" class="num">Most waiting at once</th>
                <th scope="col" class="num">From the store</th>
                <th scope="col">Errors</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="step in curve.steps" :key="step.perSecond">
                <th scope="row" class="num">{{ rate(step.perSecond) }}</th>
                <td class="num">{{ step.visitors }}</td>
                <td class="num">{{ wait(step.medianMs) }}</td>
                <td class="num">{{ wait(step.p95Ms) }}</td>
                <td class="num">{{ step.mostOpen }}</td>
                <td class="num">{{ Math.round((100 * step.fromStore) / Math.max(1, step.answered)) }}%</td>
                <td>{{ failures(step) }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </details>
    </article>
  </section>
</template>

<style scoped>
.test {
  margin-top: 0.6rem;
}
tbody th {
  font-size: inherit;
  font-weight: inherit;
}
h3 {
  margin: 0.8rem 0 0.2rem;
}
</style>
