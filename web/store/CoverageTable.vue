<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Site } from '../../core/contracts/sites.ts'
import type { Coverage } from '../../core/contracts/store.ts'
import StoreRowActions from './StoreRowActions.vue'
import SelectField from '../ui/SelectField.vue'

/** The pages of the sitemap: fresh, stale or absent, and why. */
const props = defineProps<{ coverage: Coverage; site: Site }>()
const emit = defineEmits<{ explain: [address: string]; changed: [] }>()

const AT_A_TIME = 100
const words = ref('')
const state = ref<'all' | 'fresh' | 'stale' | 'absent'>('all')
const shown = ref(AT_A_TIME)
const fitting = computed(() =>
  props.coverage.rows.filter(
    (row) =>
      (state.value === 'all' || row.state === state.value) &&
      `${row.address} ${row.kind}`.toLowerCase().includes(words.value.toLowerCase()),
  ),
)
const STATES = [
  { value: 'all', title: 'All' },
  { value: 'fresh', title: 'Fresh' },
  { value: 'stale', title: 'Stale' },
  { value: 'absent', title: 'Absent' },
]
</script>

<template>
  <p v-if="coverage.pages === 0" class="muted">
    The site has no sitemap, so there is nothing to compare the store with.
  </p>
  <template v-else>
    <div class="bar filters">
      <v-text-field v-model="words" label="Address or kind contains" class="words" clearable />
      <SelectField v-model="state" :items="STATES" label="State" class="state" />
      <span class="muted small">{{ fitting.length }} of {{ coverage.pages }}</span>
    </div>
    <div class="scroll">
      <table class="figures">
        <caption class="visually-hidden">
          Pages of the sitemap and how they are stored
        </caption>
        <thead>
          <tr>
            <th scope="col">Page</th>
            <th scope="col">Kind</th>
            <th scope="col" class="num">Priority</th>
            <th scope="col">State</th>
            <th scope="col">Why</th>
            <th scope="col">Do</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in fitting.slice(0, shown)" :key="row.address">
            <th scope="row">
              <code>{{ row.address }}</code>
            </th>
            <td>{{ row.kind }}</td>
            <td class="num">{{ row.priority.toFixed(1) }}</td>
            <td>
              <span class="state-mark" :class="row.state">{{ row.state }}</span>
            </td>
            <td class="why">{{ row.why }}</td>
            <td>
              <StoreRowActions
                :site-id="site.id"
                :address="row.address"
                :no-purge="row.state === 'absent'"
                @changed="emit('changed')"
                @explain="emit('explain', row.address)"
              />
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <v-btn v-if="fitting.length > shown" class="more" @click="shown += AT_A_TIME"
      >Show {{ Math.min(AT_A_TIME, fitting.length - shown) }} more</v-btn
    >
  </template>
</template>

<style scoped>
.filters {
  margin-bottom: 0.6rem;
}
.words {
  max-width: 320px;
}
.state {
  max-width: 150px;
}
.more {
  margin-top: 0.6rem;
}
th[scope='row'] {
  min-width: 11rem;
}
.why {
  min-width: 14rem;
}
.state-mark {
  white-space: nowrap;
}
.state-mark::before {
  content: '';
  display: inline-block;
  width: 0.7em;
  height: 0.7em;
  margin-right: 0.45em;
  border: 2px solid rgb(var(--v-theme-live));
}
.state-mark.fresh::before {
  background: rgb(var(--v-theme-live));
}
.state-mark.stale::before {
  background: linear-gradient(90deg, rgb(var(--v-theme-live)) 50%, transparent 50%);
}
.state-mark.absent::before {
  border-color: rgb(var(--v-theme-origin));
}
</style>
