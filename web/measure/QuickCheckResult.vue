<script setup lang="ts">
import { computed } from 'vue'
import type { QuickCheck, QuickCheckPoint } from '../../core/contracts/quick-check.ts'
import { bytes, seconds } from '../format/show.ts'

/** What one answer says, each point with the lines it rests on. */
const props = defineProps<{ check: QuickCheck }>()
const TOPICS: Record<QuickCheckPoint['topic'], string> = {
  answer: 'Answer',
  protocol: 'Protocol',
  wait: 'Wait',
  compression: 'Compression',
  caching: 'Caching',
  validators: 'Validators',
  cookies: 'Cookies',
  store: 'Store',
  intermediaries: 'Other caches',
}
const CODINGS = { none: 'not compressed', gzip: 'gzip', br: 'Brotli' } as const
const most = computed(() => Math.max(1, ...(props.check.sizes ?? []).map((size) => size.bytes)))
const fields = computed(() =>
  (props.check.hops.at(-1)?.fields ?? []).map(([name, value]) => `${name}: ${value}`).join('\n'),
)
</script>

<template>
  <p class="small muted">
    <code>{{ check.address }}</code> checked in {{ seconds(check.tookMs) }}, without a browser.
  </p>
  <dl class="points">
    <template v-for="point in check.points" :key="point.topic">
      <dt>{{ TOPICS[point.topic] }}</dt>
      <dd>
        {{ point.sentence }}
        <code v-for="line in point.evidence" :key="line" class="muted">{{ line }}</code>
      </dd>
    </template>
  </dl>
  <template v-if="check.sizes">
    <h3>Size by compression</h3>
    <div class="scroll narrow">
      <table class="figures">
        <thead>
          <tr>
            <th scope="col">Compression and level</th>
            <th scope="col" class="num">Bytes</th>
            <th scope="col" class="wide">Sent now: {{ bytes(check.sentBytes) }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="size in check.sizes" :key="size.coding + size.level">
            <th scope="row">{{ CODINGS[size.coding] }}{{ size.coding === 'none' ? '' : ` ${size.level}` }}</th>
            <td class="num">{{ bytes(size.bytes) }}</td>
            <td class="wide">
              <div class="bars">
                <i :style="{ width: `${(100 * size.bytes) / most}%` }" />
                <b :style="{ left: `${Math.min(100, (100 * check.sentBytes) / most)}%` }" />
              </div>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </template>
  <details>
    <summary class="small">All response fields</summary>
    <pre>{{ fields }}</pre>
  </details>
</template>

<style scoped>
.points {
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr);
  gap: 0.35rem 1.2rem;
}
dt {
  color: rgb(var(--v-theme-secondary));
}
dd code {
  display: block;
}
h3 {
  margin: 1rem 0 0.4rem;
}
.narrow {
  max-width: 720px;
}
.bars {
  position: relative;
  height: 12px;
}
.bars i {
  position: absolute;
  left: 0;
  top: 2px;
  height: 8px;
  background: rgb(var(--v-theme-live));
}
.bars b {
  position: absolute;
  top: 0;
  height: 12px;
  border-left: 2px solid rgb(var(--v-theme-trial-ink));
}
.wide {
  width: 55%;
}
summary {
  margin-top: 0.8rem;
}
pre {
  font-size: 0.8rem;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
@media (max-width: 760px) {
  .points {
    grid-template-columns: minmax(0, 1fr);
  }
  dt {
    font-weight: 650;
  }
}
</style>
