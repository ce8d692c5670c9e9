<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Run } from '../../core/contracts/measurements.ts'
import { bytes, seconds } from '../words/show.ts'
import { PHASE_NAMES, PHASES, typesOf, waterfallEnd, waterfallRows, type WaterfallRow } from './rows.ts'

/** Every request of one page load: a table that can be read, with bars that can be seen. */
const props = defineProps<{ run: Run }>()

const rows = computed(() => waterfallRows(props.run.requests))
const endMs = computed(() => waterfallEnd(rows.value, props.run.metrics))
const types = computed(() => typesOf(rows.value))
const type = ref<string | null>(null)
const opened = ref<string | null>(null)
const shown = computed(() =>
  rows.value.filter(({ record }) => type.value === null || record.type === type.value),
)
const per = (ms: number): string => `${(100 * ms) / endMs.value}%`
const lines = computed(() =>
  [
    { name: 'first paint', ms: props.run.metrics?.fcpMs },
    { name: 'main content', ms: props.run.metrics?.lcpMs },
  ].filter((line): line is { name: string; ms: number } => typeof line.ms === 'number'),
)
const keyOf = ({ record }: WaterfallRow, index: number): string => `${index} ${record.url}`
const sizeOf = ({ record }: WaterfallRow): string =>
  record.fromCache ? 'browser cache' : bytes(record.sentBytes)
const cacheStatus = ({ record }: WaterfallRow): string =>
  record.responseFields.find(([name]) => name === 'cache-status')?.[1].replace(/^.*zest-lamp; /, '') ?? ''
</script>

<template>
  <div class="bar filters" role="group" aria-label="Show requests by type">
    <v-btn
      size="small"
      :variant="type === null ? 'flat' : 'outlined'"
      :aria-pressed="type === null"
      @click="type = null"
    >
      All {{ rows.length }}
    </v-btn>
    <v-btn
      v-for="one in types"
      :key="one"
      size="small"
      :variant="type === one ? 'flat' : 'outlined'"
      :aria-pressed="type === one"
      @click="type = one"
    >
      {{ one }} {{ rows.filter(({ record }) => record.type === one).length }}
    </v-btn>
    <span class="legend small muted">
      <template v-for="phase in PHASES" :key="phase"><i :class="phase" /> {{ PHASE_NAMES[phase] }} </template>
      <template v-for="line in lines" :key="line.name"
        ><i class="mark" :class="{ main: line.name === 'main content' }" /> {{ line.name }}
        {{ seconds(line.ms) }}
      </template>
    </span>
  </div>
  <div class="scroll">
    <table class="bench waterfall">
      <caption class="visually-hidden">
        Requests of the page load in the order in which they began
      </caption>
      <thead>
        <tr>
          <th scope="col">Request</th>
          <th scope="col">Type</th>
          <th scope="col" class="num">Status</th>
          <th scope="col" class="num">Sent</th>
          <th scope="col" class="num">Began</th>
          <th scope="col" class="num">Took</th>
          <th scope="col" class="time">0 to {{ seconds(endMs) }}</th>
        </tr>
      </thead>
      <tbody>
        <template v-for="(row, index) in shown" :key="keyOf(row, index)">
          <tr>
            <th scope="row">
              <button
                class="request"
                type="button"
                :aria-expanded="opened === keyOf(row, index)"
                :title="row.record.url"
                @click="opened = opened === keyOf(row, index) ? null : keyOf(row, index)"
              >
                {{ row.name }}
              </button>
            </th>
            <td>{{ row.record.type }}</td>
            <td class="num" :class="{ failed: row.record.status >= 400 || row.record.failure }">
              {{ row.record.status || '–' }}
            </td>
            <td class="num">{{ sizeOf(row) }}</td>
            <td class="num">{{ seconds(row.startMs) }}</td>
            <td class="num">{{ seconds(row.endMs - row.startMs) }}</td>
            <td class="time">
              <div class="track">
                <i
                  v-for="phase in row.phases"
                  :key="phase.name"
                  :class="phase.name"
                  :style="{ left: per(phase.fromMs), width: per(phase.toMs - phase.fromMs) }"
                />
                <i
                  v-for="line in lines"
                  :key="line.name"
                  class="mark"
                  :class="{ main: line.name === 'main content' }"
                  :style="{ left: per(line.ms) }"
                />
              </div>
            </td>
          </tr>
          <tr v-if="opened === keyOf(row, index)">
            <td colspan="7" class="details">
              <p>
                <code>{{ row.record.method }} {{ row.record.url }}</code>
              </p>
              <p class="small">
                <template v-for="phase in row.phases" :key="phase.name"
                  >{{ PHASE_NAMES[phase.name] }} {{ seconds(phase.toMs - phase.fromMs) }} ·
                </template>
                {{ bytes(row.record.decodedBytes) }} decoded · {{ row.record.protocol }}
                <template v-if="cacheStatus(row)"> · Zest Lamp: {{ cacheStatus(row) }}</template>
                <template v-if="row.record.failure"> · {{ row.record.failure }}</template>
              </p>
              <pre>{{
                row.record.responseFields.map(([name, value]) => `${name}: ${value}`).join('\n')
              }}</pre>
            </td>
          </tr>
        </template>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.filters {
  margin-bottom: 0.6rem;
}
.legend i {
  display: inline-block;
  width: 0.9em;
  height: 0.7em;
  margin-left: 0.6em;
}
.legend i.mark {
  width: 0;
  height: 0.9em;
  position: static;
  vertical-align: -0.1em;
}
.waterfall {
  font-size: 0.84rem;
  table-layout: fixed;
  min-width: 900px;
}
.waterfall th:nth-child(1) {
  width: 21%;
}
.waterfall th:nth-child(2) {
  width: 8%;
}
.waterfall th:nth-child(n + 3):nth-child(-n + 6) {
  width: 7.5%;
}
.request {
  font: inherit;
  font-weight: 500;
  font-size: 0.84rem;
  color: inherit;
  text-align: left;
  max-width: 100%;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  cursor: pointer;
  text-decoration: underline dotted;
}
td,
th {
  overflow: hidden;
  text-overflow: ellipsis;
}
.track {
  position: relative;
  height: 14px;
}
.track i {
  position: absolute;
  top: 2px;
  height: 10px;
  min-width: 1px;
}
i.queued {
  background: repeating-linear-gradient(90deg, rgb(var(--v-theme-line)) 0 2px, transparent 2px 4px);
}
i.connect {
  background: rgb(var(--v-theme-origin));
}
i.wait {
  background: rgb(var(--v-theme-surface-variant));
  border: 1px solid rgb(var(--v-theme-secondary));
}
i.receive {
  background: rgb(var(--v-theme-live));
}
.track i.mark {
  top: -6px;
  height: 26px;
}
i.mark {
  border-left: 2px dotted rgb(var(--v-theme-secondary));
}
i.mark.main {
  border-left: 2px solid rgb(var(--v-theme-trial-ink));
}
.failed {
  color: rgb(var(--v-theme-error));
}
.details {
  background: rgb(var(--v-theme-background));
  white-space: normal;
}
pre {
  font-size: 0.8rem;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  margin-top: 0.4rem;
}
</style>
