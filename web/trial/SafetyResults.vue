<script setup lang="ts">
import { ref } from 'vue'
import type { PageSafety, SafetyCheck, SafetyPictures } from '../../core/contracts/safety.ts'
import { useProblems } from '../stores/problems.ts'
import { useTrialChecks } from '../stores/trial-checks.ts'
import { howMany, pageName } from '../format/show.ts'
import PageCompare from './PageCompare.vue'
import { SAFETY_WORDS } from './result-words.ts'

/** What a safety check found, page by page, with the evidence and the pictures. */
const props = defineProps<{ check: SafetyCheck; disabled: boolean }>()
const trialChecks = useTrialChecks()
const problems = useProblems()
const pictures = ref(new Map<string, SafetyPictures>())
const keyOf = ({ pageId, visitorId }: PageSafety): string => `${pageId} ${visitorId}`

const look = async (page: PageSafety, event: Event): Promise<void> => {
  if (!(event.target as HTMLDetailsElement).open || pictures.value.has(keyOf(page))) return
  const found = await problems.catching(() => trialChecks.picturesOf(props.check.id, page.pageId, page.visitorId))
  if (found !== undefined) pictures.value.set(keyOf(page), found)
}
const search = (page: PageSafety): Promise<unknown> =>
  problems.catching(() => trialChecks.search({ pageId: page.pageId, visitorId: page.visitorId }))
</script>

<template>
  <div class="scroll">
    <table class="figures">
      <caption class="visually-hidden">
        Pages in the trial compared with live
      </caption>
      <thead>
        <tr>
          <th scope="col">Page</th>
          <th scope="col">Visitor</th>
          <th scope="col">Result</th>
          <th scope="col" class="what">Differences</th>
          <th scope="col"><span class="visually-hidden">Next</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="page in check.pages" :key="keyOf(page)">
          <th scope="row">{{ pageName(page.path) }}</th>
          <td>{{ page.visitorName }}</td>
          <td>
            <b :class="page.result">{{ SAFETY_WORDS[page.result] }}</b>
          </td>
          <td>{{ page.sentence }}</td>
          <td class="num">
            <v-btn
              v-if="page.result === 'broken' && check.current && check.order.to === 'trial'"
              size="small"
              :disabled="disabled"
              @click="search(page)"
              >Find the cause</v-btn
            >
          </td>
        </tr>
      </tbody>
    </table>
  </div>
  <details v-for="page in check.pages" :key="`e${keyOf(page)}`" @toggle="look(page, $event)">
    <summary>
      {{ pageName(page.path) }} as “{{ page.visitorName }}”: details and pictures
      <span class="muted small"
        >{{ howMany(page.findings.length, 'difference') }}, {{ howMany(page.varies.length, 'part') }} not compared</span
      >
    </summary>
    <ul v-if="page.findings.length > 0" class="findings">
      <li v-for="(finding, index) in page.findings" :key="index">
        <b :class="finding.severity">{{ finding.severity === 'broken' ? 'Broken' : 'Differs' }}:</b>
        {{ finding.sentence }}
        <ul>
          <li v-for="item in finding.items" :key="item">
            <code>{{ item }}</code>
          </li>
          <li v-if="finding.count > finding.items.length" class="muted">
            and {{ finding.count - finding.items.length }} more
          </li>
        </ul>
      </li>
    </ul>
    <p v-else>No differences from live were found.</p>
    <details v-if="page.varies.length > 0">
      <summary>Not compared: changes on every load</summary>
      <ul>
        <li v-for="key in page.varies" :key="key">
          <code>{{ key }}</code>
        </li>
      </ul>
    </details>
    <PageCompare v-if="pictures.has(keyOf(page))" :page="page" :pictures="pictures.get(keyOf(page))!" />
  </details>
</template>

<style scoped>
.what {
  width: 50%;
}
.broken {
  color: rgb(var(--v-theme-error));
}
summary {
  padding: 0.35rem 0;
  font-weight: 600;
}
.findings {
  padding-left: 1.1rem;
  display: grid;
  gap: 0.3rem;
}
</style>
