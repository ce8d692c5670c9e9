<script setup lang="ts">
import { computed, nextTick, ref, watch } from 'vue'
import type { RemedyEvidence } from '../../core/contracts/findings.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import type { MeasuredGain } from '../../core/catalogue/measured-gain.ts'
import type { Relation } from '../../core/catalogue/relations.ts'
import { GUIDES, optionsOf } from '../../core/catalogue/guides.ts'
import { REACH, type Remedy, type RemedyOption } from '../../core/catalogue/remedy.ts'
import OptionField from './OptionField.vue'
import { measuredInWords } from '../format/gains.ts'
import { bytes, pageName, seconds, when } from '../format/show.ts'
import PredictedGains from './PredictedGains.vue'

/** A remedy explains itself, shows what speaks for it on this site, and is set for the trial; beside the list. */
const props = defineProps<{
  site: Site
  remedy: Remedy
  trial: Setup
  live: Setup | undefined
  evidence: RemedyEvidence | undefined
  relations: readonly Relation[]
  measured: { at: string; gains: MeasuredGain[] } | undefined
  /** The page that the list beside is about. */
  page: { readonly pageId: string; readonly path: string }
  disabled: boolean
}>()
const emit = defineEmits<{ change: [setup: Setup]; close: [] }>()

const settings = computed(() => props.trial.remedies[props.remedy.id] as Record<string, unknown> & { enabled: boolean })
const on = computed(() => settings.value.enabled)
const liveOn = computed(() => props.live?.remedies[props.remedy.id].enabled ?? false)
const set = (key: string, value: unknown): void =>
  emit('change', {
    ...props.trial,
    remedies: { ...props.trial.remedies, [props.remedy.id]: { ...settings.value, [key]: value } },
  } as Setup)
const guide = computed(() => GUIDES[props.remedy.id])
const facts = computed(() => [
  ['What it does', guide.value.does],
  ['When it helps', guide.value.helps],
  ['When to avoid it', guide.value.avoid],
  ['What could break', guide.value.couldBreak],
  ['What to look at', guide.value.lookAt],
  ['How to undo', guide.value.undo],
])
/** As in the list: of the page where it was looked at, otherwise of all that were. */
const shownGains = computed(() => {
  const all = props.evidence?.gains ?? []
  const own = all.filter(({ pageId }) => pageId === props.page.pageId)
  return own.length > 0 ? { of: pageName(props.page.path), gains: own } : { of: 'the measured pages', gains: all }
})
/** Settings under their headings, in the order of the catalogue. */
const groups = computed(() => {
  const found = new Map<string, RemedyOption[]>()
  for (const option of optionsOf(props.remedy.id)) {
    const group = option.group ?? ''
    found.set(group, [...(found.get(group) ?? []), option])
  }
  return [...found]
})
const RISK = {
  delivery: 'Risk: almost none for how pages look.',
  files: 'Risk: small; check pictures, fonts and what scripts do.',
  page: 'Risk: higher; check pages closely after switching it on.',
} as const

/** Escape closes it, unless it closes a dialog of its own. */
const leave = ({ target }: KeyboardEvent): void => {
  if (target instanceof Element && target.closest('dialog') === null) emit('close')
}

/** Who opens a remedy reads it next; on a phone it covers the list. */
const heading = ref<HTMLElement>()
watch(
  () => props.remedy.id,
  () => void nextTick(() => heading.value?.focus()),
  { immediate: true },
)
</script>

<template>
  <aside id="remedy-detail" class="panel detail" :aria-label="remedy.name" @keydown.esc="leave">
    <header>
      <h2 ref="heading" tabindex="-1">{{ remedy.name }}</h2>
      <v-btn size="small" @click="emit('close')">Close</v-btn>
    </header>
    <p>{{ remedy.inShort }}</p>
    <p class="small muted">
      {{ on ? 'On' : 'Off' }} in trial, {{ liveOn ? 'on' : 'off' }} for visitors. {{ REACH[remedy.reach] }}
      {{ RISK[remedy.reach] }}
    </p>
    <ul v-if="relations.length > 0" class="relations small">
      <li v-for="relation in relations" :key="relation.sentence" :class="relation.kind">
        <b>{{ relation.kind === 'conflict' ? 'Conflict' : 'Note' }}:</b>
        {{ relation.sentence }}
      </li>
    </ul>

    <template v-if="evidence && evidence.gains.length > 0">
      <h3>Predicted for {{ shownGains.of }}: main content, and all loaded</h3>
      <PredictedGains :site="site" :gains="shownGains.gains" />
    </template>
    <template v-if="measured">
      <h3>Measured {{ when(measured.at) }}</h3>
      <p v-for="one in measured.gains" :key="one.path + one.visitorName" class="small">
        {{ pageName(one.path) }} as “{{ one.visitorName }}”: <b>{{ measuredInWords(one) }}</b> ({{
          seconds(one.low)
        }}
        to {{ seconds(one.high) }})
      </p>
    </template>

    <section v-if="groups.length > 0" aria-label="Settings">
      <h3>Settings in trial</h3>
      <div
        v-for="[group, options] in groups"
        :key="group"
        class="options"
        role="group"
        :aria-label="group === '' ? 'Settings' : group"
      >
        <h4 v-if="group !== ''">{{ group }}</h4>
        <OptionField
          v-for="option in options"
          :key="option.key"
          :option="option"
          :value="settings[option.key]"
          :settings="settings"
          :disabled="disabled"
          @change="(value) => set(option.key, value)"
        />
      </div>
    </section>

    <template v-if="evidence && evidence.items.length > 0">
      <h3>Evidence from this site</h3>
      <div class="scroll">
        <table class="figures small">
          <thead>
            <tr>
              <th scope="col">File and what we saw</th>
              <th scope="col" class="num">Sent now</th>
              <th scope="col" class="num">Could save</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="one in evidence.items" :key="one.item">
              <td>
                <code>{{ one.item }}</code><br />{{ one.note }}
              </td>
              <td class="num">{{ bytes(one.bytes) }}</td>
              <td class="num">{{ one.savedBytes > 0 ? bytes(one.savedBytes) : '–' }}</td>
            </tr>
          </tbody>
        </table>
      </div>
    </template>

    <dl>
      <template v-for="[term, text] in facts" :key="term">
        <dt>{{ term }}</dt>
        <dd>{{ text }}</dd>
      </template>
    </dl>
  </aside>
</template>

<style scoped>
.detail {
  position: sticky;
  top: 0.6rem;
  max-height: calc(100dvh - 5rem);
  overflow: auto;
  padding-top: 0;
}
header {
  position: sticky;
  top: 0;
  z-index: 2;
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 1rem;
  padding: 0.6rem 0;
  background: rgb(var(--v-theme-surface));
  border-bottom: 1px solid rgb(var(--v-theme-line));
}
header h2 {
  margin: 0;
  outline-offset: 4px;
}
h3 {
  margin: 1rem 0 0.3rem;
}
h4 {
  margin: 0.4rem 0 0;
  font-size: 0.86rem;
  color: rgb(var(--v-theme-secondary));
}
.relations {
  list-style: none;
  padding: 0;
  margin: 0.3rem 0;
}
.relations li {
  padding-left: 0.6rem;
  border-left: 3px solid rgb(var(--v-theme-line));
}
.relations .conflict {
  border-left-color: rgb(var(--v-theme-trial));
}
.options {
  display: grid;
  gap: 0.9rem;
  padding: 0.4rem 0;
}
dl {
  margin-top: 1rem;
}
dt {
  font-weight: 600;
  font-size: 0.86rem;
  color: rgb(var(--v-theme-secondary));
}
dd {
  margin-bottom: 0.6rem;
}
/* Where there is no room beside the list it covers it. */
@media (max-width: 1000px) {
  .detail {
    position: fixed;
    inset: 0;
    z-index: 20;
    max-height: none;
    border: 0;
  }
}
</style>
