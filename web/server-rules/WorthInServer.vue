<script setup lang="ts">
import { computed, watch } from 'vue'
import { isSignificant } from '../../core/audit/significance.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { pageName, seconds } from '../format/show.ts'
import { useFindings } from '../stores/findings.ts'
import { useProblems } from '../stores/problems.ts'

/** What rules in the owner's server are worth, and what more Zest Lamp in front of it would be, in seconds. */
const props = defineProps<{ site: Site }>()
const findings = useFindings()
const problems = useProblems()
watch(
  () => props.site.id,
  (id) => problems.catching(() => findings.load(id)),
  { immediate: true },
)

const rows = computed(() =>
  (findings.findings?.looks ?? []).map((look) => ({
    key: `${look.pageId} ${look.visitorId}`,
    page: pageName(look.path),
    visitor: props.site.visitors.find(({ id }) => id === look.visitorId)?.name ?? '',
    lcpMs: [look.now, look.withRules, look.withStoredPages, look.withAll].map(({ lcpMs }) => lcpMs),
  })),
)
const isWorthMore = computed(() => rows.value.some(({ lcpMs: [, , pages = 0, all = 0] }) => isSignificant(pages - all)))
</script>

<template>
  <section v-if="findings.findings" class="worth">
    <p v-if="rows.length === 0" class="muted small">
      Once your site has been measured, this shows in seconds what rules in your server are worth, and what more Zest
      Lamp in front of it would be.
    </p>
    <template v-else>
      <div class="wide">
        <table class="figures">
          <caption>
            Main content after, predicted from your last measurement
          </caption>
          <thead>
            <tr>
              <th scope="col">Page</th>
              <th scope="col">Visitor</th>
              <th scope="col" class="num">Now</th>
              <th scope="col" class="num">Rules in your server</th>
              <th scope="col" class="num">With stored pages</th>
              <th scope="col" class="num">Zest Lamp in front</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in rows" :key="row.key">
              <th scope="row">{{ row.page }}</th>
              <td>{{ row.visitor }}</td>
              <td v-for="(ms, at) in row.lcpMs" :key="at" class="num">{{ seconds(ms) }}</td>
            </tr>
          </tbody>
        </table>
      </div>
      <p class="muted small">
        {{
          isWorthMore
            ? 'What is missing in your server and done in front: pictures, order of loading, unused code, and all that changes the page itself.'
            : 'Your server can do all that is worth something on these pages.'
        }}
      </p>
    </template>
  </section>
</template>

<style scoped>
.worth {
  margin: 0.8rem 0;
}
.wide {
  overflow-x: auto;
}
caption {
  text-align: left;
  font-weight: 600;
}
</style>
