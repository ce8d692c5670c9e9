<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Run } from '../../core/contracts/measurements.ts'
import { alignRequests, type RequestChange } from '../../core/measuring/request-diff.ts'
import { sourceOf } from '../../core/measuring/page-weight.ts'
import { sideName } from '../../core/measuring/sides.ts'
import { bytes, seconds } from '../format/show.ts'
import { PHASE_NAMES, PHASES, typesOf, waterfallEnd, waterfallRows, type WaterfallRow } from './rows.ts'
import SelectField from '../ui/SelectField.vue'

/** Every request of one page load, or of two under each other: a table that can be read, with bars that can be seen. */
const props = defineProps<{ run: Run; other?: Run | null }>()

const CHANGES: Record<RequestChange, string> = {
  added: 'only here',
  gone: 'only there',
  sooner: 'earlier',
  later: 'later',
  same: 'the same',
}
const BLOCKS = { rendering: 'blocks every pixel', parsing: 'blocks what follows', nothing: '' } as const

const rows = computed(() => waterfallRows(props.run.requests))
const otherRows = computed(() => waterfallRows(props.other?.requests ?? []))
const endMs = computed(() =>
  Math.max(
    waterfallEnd(rows.value, props.run.metrics),
    props.other ? waterfallEnd(otherRows.value, props.other.metrics) : 0,
  ),
)
interface Line {
  readonly key: string
  readonly row: WaterfallRow
  readonly before: WaterfallRow | undefined
  readonly change: RequestChange | undefined
  /** Only in the other load: its bar is the other's. */
  readonly isGone: boolean
}
const lines = computed<Line[]>(() => {
  if (!props.other)
    return rows.value.map((row, index) => ({
      key: `${index}`,
      row,
      before: undefined,
      change: undefined,
      isGone: false,
    }))
  const find = (all: readonly WaterfallRow[], record: object | undefined): WaterfallRow | undefined =>
    all.find((row) => row.record === record)
  return alignRequests(props.other.requests, props.run.requests).map(({ key, before, after, change }) => ({
    key,
    row: find(rows.value, after) ?? find(otherRows.value, before)!,
    before: find(otherRows.value, before),
    change,
    isGone: after === undefined,
  }))
})
const types = computed(() => typesOf(rows.value))
const hosts = computed(() => [...new Set(rows.value.map(({ host }) => host))])
const type = ref<string | null>(null)
const host = ref<string | null>(null)
const change = ref<RequestChange | null>(null)
const opened = ref<string | null>(null)
const shown = computed(() =>
  lines.value.filter(
    (line) =>
      (type.value === null || line.row.record.type === type.value) &&
      (host.value === null || line.row.host === host.value) &&
      (change.value === null || line.change === change.value),
  ),
)
const changes = computed(() =>
  (Object.keys(CHANGES) as RequestChange[])
    .map((one) => ({ value: one, count: lines.value.filter((line) => line.change === one).length }))
    .filter(({ count }) => count > 0)
    .map(({ value, count }) => ({ value, title: `${CHANGES[value]} (${count})` })),
)
const per = (ms: number): string => `${(100 * ms) / endMs.value}%`
const marks = computed(() =>
  [
    { name: 'first paint', ms: props.run.metrics?.fcpMs },
    { name: 'main content', ms: props.run.metrics?.lcpMs },
  ].filter((mark): mark is { name: string; ms: number } => typeof mark.ms === 'number'),
)
const sizeOf = ({ record }: WaterfallRow): string => (record.fromCache ? 'browser cache' : bytes(record.sentBytes))
const cacheStatus = ({ record }: WaterfallRow): string =>
  record.responseFields.find(([name]) => name === 'cache-status')?.[1].replace(/^.*zest-lamp; /, '') ?? ''
</script>

<template>
  <div class="bar filters">
    <SelectField
      v-model="type"
      class="filter"
      label="Type"
      :items="[{ value: null, title: `all ${rows.length}` }, ...types.map((one) => ({ value: one, title: one }))]"
    />
    <SelectField
      v-model="host"
      class="filter wide"
      label="Host"
      :items="[{ value: null, title: 'all' }, ...hosts.map((one) => ({ value: one, title: one }))]"
    />
    <SelectField
      v-if="other"
      v-model="change"
      class="filter"
      label="Compared with the other load"
      :items="[{ value: null, title: 'all' }, ...changes]"
    />
    <span class="legend small muted">
      <span v-for="phase in PHASES" :key="phase"><i :class="phase" />{{ PHASE_NAMES[phase] }}</span>
      <span v-for="mark in marks" :key="mark.name"
        ><i class="mark" :class="{ main: mark.name === 'main content' }" />{{ mark.name }} {{ seconds(mark.ms) }}</span
      >
      <span><b class="blocker" aria-hidden="true">▮</b>blocks rendering or parsing</span>
    </span>
  </div>
  <div class="scroll">
    <table class="figures waterfall" :class="{ two: other }">
      <caption class="visually-hidden">
        Requests of the page load in the order they started<template v-if="other"
          >, each with the request of the other load above it</template
        >
      </caption>
      <thead>
        <tr>
          <th scope="col">Request</th>
          <th scope="col">Type</th>
          <th scope="col" class="num">{{ other ? 'Change' : 'Status' }}</th>
          <th scope="col" class="num">Sent</th>
          <th scope="col" class="num">Start</th>
          <th scope="col" class="num">Duration</th>
          <th scope="col" class="time">0 to {{ seconds(endMs) }}</th>
        </tr>
      </thead>
      <tbody>
        <template v-for="line in shown" :key="line.key">
          <tr :class="{ gone: line.isGone }">
            <th scope="row">
              <b v-if="line.row.record.blocks !== 'nothing'" class="blocker" :title="BLOCKS[line.row.record.blocks]"
                >▮<span class="visually-hidden">{{ BLOCKS[line.row.record.blocks] }}</span></b
              >
              <button
                class="request"
                type="button"
                :aria-expanded="opened === line.key"
                :title="line.row.record.url"
                @click="opened = opened === line.key ? null : line.key"
              >
                {{ line.row.name }}
              </button>
            </th>
            <td>{{ line.row.record.type }}</td>
            <td v-if="line.change" class="num">{{ CHANGES[line.change] }}</td>
            <td v-else class="num" :class="{ failed: line.row.record.status >= 400 || line.row.record.failure }">
              {{ line.row.record.status || '–' }}
            </td>
            <td class="num">{{ sizeOf(line.row) }}</td>
            <td class="num">{{ seconds(line.row.startMs) }}</td>
            <td class="num">{{ seconds(line.row.endMs - line.row.startMs) }}</td>
            <td class="time">
              <div v-if="line.before && !line.isGone" class="track before">
                <i
                  v-for="phase in line.before.phases"
                  :key="phase.name"
                  :class="phase.name"
                  :style="{ left: per(phase.fromMs), width: per(phase.toMs - phase.fromMs) }"
                />
              </div>
              <div class="track">
                <i
                  v-for="phase in line.row.phases"
                  :key="phase.name"
                  :class="phase.name"
                  :style="{ left: per(phase.fromMs), width: per(phase.toMs - phase.fromMs) }"
                />
                <i
                  v-for="mark in marks"
                  :key="mark.name"
                  class="mark"
                  :class="{ main: mark.name === 'main content' }"
                  :style="{ left: per(mark.ms) }"
                />
              </div>
            </td>
          </tr>
          <tr v-if="opened === line.key">
            <td colspan="7" class="details">
              <p>
                <code>{{ line.row.record.method }} {{ line.row.record.url }}</code>
              </p>
              <p class="small">
                <template v-for="phase in line.row.phases" :key="phase.name"
                  >{{ PHASE_NAMES[phase.name] }} {{ seconds(phase.toMs - phase.fromMs) }} ·
                </template>
                {{ bytes(line.row.record.decodedBytes) }} decoded · {{ line.row.record.protocol }} · from the
                {{ sourceOf(line.row.record) }}
                <template v-if="line.row.record.priority"> · priority {{ line.row.record.priority }}</template>
                <template v-if="line.row.record.initiator?.url">
                  · requested by {{ line.row.record.initiator.kind }}
                  <code>{{ line.row.record.initiator.url }}</code></template
                >
                <template v-if="cacheStatus(line.row)"> · Zest Lamp: {{ cacheStatus(line.row) }}</template>
                <template v-if="line.row.record.failure"> · {{ line.row.record.failure }}</template>
              </p>
              <p v-if="line.before && !line.isGone && other" class="small">
                {{ sideName(other.side) }}: started {{ seconds(line.before.startMs) }}, took
                {{ seconds(line.before.endMs - line.before.startMs) }}, {{ sizeOf(line.before) }}
              </p>
              <pre>{{ line.row.record.responseFields.map(([name, value]) => `${name}: ${value}`).join('\n') }}</pre>
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
  align-items: center;
}
.filter {
  flex: 0 0 150px;
}
.filter.wide {
  flex-basis: 220px;
}
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 0.15rem 0.8rem;
  flex: 1 1 300px;
}
.legend i {
  display: inline-block;
  width: 0.9em;
  height: 0.7em;
  margin-right: 0.35em;
}
.legend i.mark {
  width: 0;
  height: 0.9em;
  position: static;
  vertical-align: -0.1em;
}
.blocker {
  color: rgb(var(--v-theme-trial-ink));
  margin-right: 0.25em;
  font-size: 0.8em;
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
  max-width: calc(100% - 1.2em);
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  cursor: pointer;
  text-decoration: underline dotted;
  vertical-align: bottom;
}
td,
th {
  overflow: hidden;
  text-overflow: ellipsis;
}
.gone {
  color: rgb(var(--v-theme-secondary));
  text-decoration: line-through;
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
.track.before {
  height: 8px;
  opacity: 0.75;
}
.track.before i {
  top: 2px;
  height: 5px;
}
.gone .track {
  opacity: 0.6;
}
i.queued {
  background: repeating-linear-gradient(90deg, rgb(var(--v-theme-line)) 0 2px, transparent 2px 4px);
}
i.connect {
  background: rgb(var(--v-theme-origin));
}
i.tls {
  background: repeating-linear-gradient(45deg, rgb(var(--v-theme-origin)) 0 2px, transparent 2px 4px);
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
.two .track i.mark {
  top: -14px;
  height: 34px;
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
