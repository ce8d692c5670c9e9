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

const COLUMNS = ['Now', 'Rules in your server', 'With stored pages', 'Zest Lamp in front'] as const
/** What is measured behind Zest Lamp has part of it already. */
const ofServer = computed(() => (findings.findings?.looks ?? []).filter(({ side }) => side === 'origin'))
const rows = computed(() =>
  ofServer.value.map((look) => ({
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
      Once your server (origin) has been measured, this shows in seconds what rules in your server are worth, and what
      more Zest Lamp in front of it would be.
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
              <th v-for="column in COLUMNS" :key="column" scope="col" class="num">{{ column }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="row in rows" :key="row.key">
              <th scope="row">{{ row.page }}</th>
              <td data-label="Visitor">{{ row.visitor }}</td>
              <td v-for="(ms, at) in row.lcpMs" :key="at" class="num" :data-label="COLUMNS[at]">{{ seconds(ms) }}</td>
            </tr>
          </tbody>
        </table>
      </div>
      <p class="muted small">
        {{
          isWorthMore
            ? 'What your server cannot do and Zest Lamp in front can: pictures, order of loading, unused code, and everything else that changes the page itself.'
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
/* On a phone each page is a block: its name, then its figures with their names. */
@media (max-width: 760px) {
  caption {
    display: block;
  }
  thead {
    display: none;
  }
  tr {
    display: grid;
    grid-template-columns: 1fr 1fr;
    gap: 0.1rem 0.8rem;
    padding: 0.4rem 0;
    border-bottom: 1px solid rgb(var(--v-theme-line));
  }
  table.figures tbody th {
    grid-column: 1 / -1;
  }
  table.figures tbody :is(th, td) {
    display: block;
    border: 0;
    padding: 0.1rem 0.6rem;
    text-align: left;
  }
  td::before {
    content: attr(data-label);
    display: block;
    font-size: 0.78rem;
    color: rgb(var(--v-theme-secondary));
  }
}
</style>
