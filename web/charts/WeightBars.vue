<script setup lang="ts">
import { computed } from 'vue'
import type { RequestRecord } from '../../core/contracts/measuring.ts'
import { hostOf, sourceOf, weightBy, type Weight } from '../../core/measuring/page-weight.ts'
import { bytes } from '../format/show.ts'

/** What a page load weighs, by type, by host and by where it came from. */
const props = defineProps<{ requests: readonly RequestRecord[] }>()
const groups = computed(() => [
  { title: 'By type', weights: weightBy(props.requests, ({ type }) => type) },
  { title: 'By host', weights: weightBy(props.requests, hostOf) },
  { title: 'By source', weights: weightBy(props.requests, sourceOf) },
])
const most = computed(() =>
  Math.max(
    1,
    ...groups.value.flatMap(({ weights }) =>
      weights.map(({ decodedBytes, sentBytes }) => Math.max(decodedBytes, sentBytes)),
    ),
  ),
)
const per = (count: number): string => `${(100 * count) / most.value}%`
const saved = ({ sentBytes, decodedBytes }: Weight): string =>
  decodedBytes > sentBytes * 1.05 ? `${bytes(decodedBytes)} decoded` : ''
</script>

<template>
  <div class="groups">
    <table v-for="group in groups" :key="group.title" class="figures">
      <thead>
        <tr>
          <th scope="col">{{ group.title }}</th>
          <th scope="col" class="num">Requests</th>
          <th scope="col" class="num">Sent</th>
          <th scope="col" class="wide"><i class="sent" /> sent <i class="decoded" /> decoded</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="weight in group.weights" :key="weight.name">
          <th scope="row">{{ weight.name }}</th>
          <td class="num">{{ weight.requests }}</td>
          <td class="num">{{ bytes(weight.sentBytes) }}</td>
          <td class="wide" :title="saved(weight)">
            <div class="bars">
              <i class="decoded" :style="{ width: per(weight.decodedBytes) }" />
              <i class="sent" :style="{ width: per(weight.sentBytes) }" />
            </div>
            <span class="visually-hidden">{{ saved(weight) }}</span>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.groups {
  display: grid;
  gap: 0.9rem;
}
table {
  font-size: 0.88rem;
  table-layout: fixed;
}
th:first-child {
  width: 24%;
  overflow-wrap: anywhere;
}
th.num {
  width: 5.6rem;
}
i {
  display: inline-block;
}
th i {
  width: 0.9em;
  height: 0.7em;
}
.bars {
  position: relative;
  height: 12px;
}
.bars i {
  position: absolute;
  left: 0;
  top: 0;
  height: 12px;
  min-width: 1px;
}
i.sent {
  background: rgb(var(--v-theme-live));
}
i.decoded {
  border: 1px solid rgb(var(--v-theme-origin));
}
.bars i.sent {
  top: 3px;
  height: 6px;
}
@media (max-width: 760px) {
  .wide {
    display: none;
  }
}
</style>
