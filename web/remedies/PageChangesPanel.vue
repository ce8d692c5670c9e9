<script setup lang="ts">
import { computed, ref } from 'vue'
import type { PageChanges } from '../../core/contracts/delivery.ts'
import type { PageChange } from '../../core/contracts/page-changes.ts'
import type { RemedyException } from '../../core/contracts/rewriting.ts'
import type { RemedyId } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { takesExceptions } from '../../core/catalogue/guides.ts'
import { remedyName } from '../../core/catalogue/remedy-names.ts'
import ActionButton from '../ui/ActionButton.vue'
import { useFindings } from '../stores/findings.ts'
import { useProblems } from '../stores/problems.ts'
import { bytes, howMany } from '../format/show.ts'
import SelectField from '../ui/SelectField.vue'
import SuggestField from '../ui/SuggestField.vue'

/** What the trial's remedies do to a page, change by change, and the way to leave one of them out. */
const props = defineProps<{ site: Site; disabled: boolean }>()
const emit = defineEmits<{ leaveOut: [remedy: RemedyId, exception: RemedyException] }>()
const findings = useFindings()
const problems = useProblems()

const DEVICES = [
  { value: 'phone', title: 'Phone' },
  { value: 'laptop', title: 'Laptop' },
] as const
const path = ref(props.site.sample[0]?.path ?? '/')
const device = ref<'phone' | 'laptop'>('phone')
const looking = ref(false)
const found = ref<PageChanges | null>(null)

const pages = computed(() => [...new Set(props.site.sample.map((page) => page.path))])
const groups = computed(() => {
  const byRemedy = new Map<string, PageChange[]>()
  for (const change of found.value?.changes ?? [])
    byRemedy.set(change.remedy, [...(byRemedy.get(change.remedy) ?? []), change])
  return [...byRemedy]
})
const look = async (): Promise<void> => {
  looking.value = true
  found.value =
    (await problems.catching(() =>
      findings.changesOf(props.site.id, { channel: 'trial', path: path.value, device: device.value }),
    )) ?? null
  looking.value = false
}
/** Files are named without the version behind the question mark, which changes. */
const isFile = ({ kind, item }: PageChange): boolean =>
  kind === 'changed' && /^(\/|https?:\/\/)/.test(item) && item !== path.value
const leaveOut = (remedy: string, item: string): void =>
  emit('leaveOut', remedy as RemedyId, {
    by: 'file',
    value: item.split('?')[0]!,
    reason: `excluded after looking at ${path.value}`,
  })
const leavePage = (remedy: string): void =>
  emit('leaveOut', remedy as RemedyId, {
    by: 'address',
    value: path.value,
    reason: 'excluded after looking at it',
  })
defineExpose({ look })
</script>

<template>
  <section aria-labelledby="changes" class="panel">
    <h2 id="changes">What the trial does to a page</h2>
    <div class="asking">
      <SuggestField v-model="path" :suggestions="pages" label="Page" />
      <SelectField v-model="device" :items="DEVICES" label="As sent to" />
      <ActionButton :under-way="looking" color="primary" @click="look">Look at the changes</ActionButton>
    </div>
    <p v-if="looking" class="muted small" role="status">
      Fetching the page and its files, and making what is new. The first time after a change this takes up to a minute.
    </p>
    <template v-if="found">
      <p v-if="found.untouched" role="status">{{ found.untouched }}</p>
      <template v-else>
        <p role="status">
          The page itself: <b>{{ bytes(found.bytesBefore) }}</b> as your server (origin) sends it,
          <b>{{ bytes(found.bytesAfter) }}</b> as it goes out, before compression.
          {{ howMany(found.changes.filter(({ kind }) => kind === 'changed').length, 'change') }},
          {{ howMany(found.changes.filter(({ kind }) => kind === 'left').length, 'thing') }} left alone.
        </p>
        <details v-for="[remedy, changes] in groups" :key="remedy">
          <summary>
            {{ remedyName(remedy) }}
            <span class="muted small">
              {{ changes.filter(({ kind }) => kind === 'changed').length }} changed<template
                v-if="changes.some(({ kind }) => kind === 'left')"
                >, {{ changes.filter(({ kind }) => kind === 'left').length }} left alone</template
              >
            </span>
          </summary>
          <v-btn
            v-if="takesExceptions(remedy as RemedyId)"
            size="x-small"
            :disabled="disabled"
            @click="leavePage(remedy)"
            >Exclude this page</v-btn
          >
          <div class="scroll">
            <table class="figures">
              <thead>
                <tr>
                  <th scope="col">What</th>
                  <th scope="col">Result</th>
                  <th scope="col" class="num">Before</th>
                  <th scope="col" class="num">After</th>
                  <th scope="col"><span class="visually-hidden">Exclude</span></th>
                </tr>
              </thead>
              <tbody>
                <tr v-for="(change, index) in changes" :key="index" :class="change.kind">
                  <td>
                    <code>{{ change.item }}</code>
                  </td>
                  <td>{{ change.sentence }}</td>
                  <td class="num">{{ change.bytesBefore === null ? '' : bytes(change.bytesBefore) }}</td>
                  <td class="num">{{ change.bytesAfter === null ? '' : bytes(change.bytesAfter) }}</td>
                  <td class="num">
                    <v-btn
                      v-if="isFile(change) && takesExceptions(remedy as RemedyId)"
                      size="x-small"
                      :disabled="disabled"
                      :aria-label="`Exclude ${change.item} from ${remedyName(remedy)}`"
                      @click="leaveOut(remedy, change.item)"
                      >Exclude</v-btn
                    >
                  </td>
                </tr>
              </tbody>
            </table>
          </div>
        </details>
      </template>
    </template>
  </section>
</template>

<style scoped>
h2 {
  margin-top: 0;
}
.asking {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 150px auto;
  gap: 0.6rem;
  align-items: center;
  max-width: 760px;
}
summary {
  padding: 0.3rem 0;
  font-weight: 600;
}
code {
  overflow-wrap: anywhere;
}
.left {
  color: rgb(var(--v-theme-secondary));
}
td:first-child {
  width: 40%;
}
@media (max-width: 760px) {
  .asking {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
