<script setup lang="ts">
import { computed, ref } from 'vue'
import type { RemedyEvidence } from '../../core/contracts/findings.ts'
import type { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import type { MeasuredGain } from '../../core/catalogue/measured-gain.ts'
import type { Relation } from '../../core/catalogue/relations.ts'
import { REACH, type AnyRemedy, type RemedyOption } from '../../core/catalogue/remedy.ts'
import OptionField from './OptionField.vue'
import { bytes, seconds, when } from '../format/show.ts'
import PredictedGains from './PredictedGains.vue'

/** A remedy explains itself, shows what speaks for it on this site, and is switched and set for the trial. */
const props = defineProps<{
  site: Site
  remedy: AnyRemedy
  trial: Setup
  live: Setup | undefined
  evidence: RemedyEvidence | undefined
  relations: readonly Relation[]
  measured: { at: string; gains: MeasuredGain[] } | undefined
  disabled: boolean
}>()
const emit = defineEmits<{ change: [setup: Setup] }>()

const settings = computed(() => props.trial.remedies[props.remedy.id] as Record<string, unknown> & { enabled: boolean })
const on = computed(() => settings.value.enabled)
const liveOn = computed(() => props.live?.remedies[props.remedy.id].enabled ?? false)
const set = (key: string, value: unknown): void =>
  emit('change', {
    ...props.trial,
    remedies: { ...props.trial.remedies, [props.remedy.id]: { ...settings.value, [key]: value } },
  } as Setup)
const facts = computed(() => [
  ['What it does', props.remedy.does],
  ['When it helps', props.remedy.helps],
  ['When to avoid it', props.remedy.avoid],
  ['What could break', props.remedy.couldBreak],
  ['What to look at', props.remedy.lookAt],
  ['How to undo', props.remedy.undo],
])
/** Settings under their headings, in the order of the catalogue. */
const groups = computed(() => {
  const found = new Map<string, RemedyOption[]>()
  for (const option of props.remedy.options as readonly RemedyOption[]) {
    const group = option.group ?? ''
    found.set(group, [...(found.get(group) ?? []), option])
  }
  return [...found]
})
/** The fields are many, and few are ever opened: they are made when somebody does. */
const settingsAsked = ref(false)
const RISK = {
  delivery: 'Risk: almost none for how pages look.',
  files: 'Risk: small; check pictures, fonts and what scripts do.',
  page: 'Risk: higher; check pages closely after switching it on.',
} as const
const explained = ref<HTMLDetailsElement>()
defineExpose({ open: () => explained.value?.setAttribute('open', '') })

/** A gain whose interval has both signs is none that could be measured. */
const gainSaid = ({ shift, low, high }: MeasuredGain): string => {
  if (low <= 0 && high >= 0) return 'no measurable difference'
  return shift >= 0 ? `${seconds(shift)} faster` : `${seconds(-shift)} slower`
}
</script>

<template>
  <article class="panel remedy" :aria-labelledby="`remedy-${remedy.id}`">
    <header>
      <div>
        <h3 :id="`remedy-${remedy.id}`">{{ remedy.name }}</h3>
        <p>{{ remedy.inShort }}</p>
        <p v-if="evidence" class="small muted evidence">
          {{ evidence.applies ? 'Here:' : 'Not needed here:' }} {{ evidence.sentence }}
        </p>
      </div>
      <div class="worth">
        <template v-if="evidence && evidence.gains.length > 0">
          <span class="small muted">Predicted, main content and all loaded</span>
          <PredictedGains :site="site" :gains="evidence.gains" />
        </template>
        <p v-for="one in measured?.gains ?? []" :key="one.path + one.visitorName" class="small measured">
          Measured {{ when(measured!.at) }}, {{ one.visitorName }}{{ one.path === '/' ? '' : `, ${one.path}` }}:
          <b>{{ gainSaid(one) }}</b> ({{ seconds(one.low) }} to {{ seconds(one.high) }})
        </p>
      </div>
      <div class="switches">
        <v-switch
          :model-value="on"
          :label="`${on ? 'On' : 'Off'} in trial`"
          :aria-label="`${remedy.name} in trial`"
          :disabled="disabled"
          @update:model-value="(value: unknown) => set('enabled', value === true)"
        />
        <span class="small muted">{{ liveOn ? 'On' : 'Off' }} for visitors</span>
      </div>
    </header>
    <ul v-if="relations.length > 0" class="relations small">
      <li v-for="relation in relations" :key="relation.sentence" :class="relation.kind">
        <b>{{ relation.kind === 'conflict' ? 'Conflict' : 'Note' }}:</b>
        {{ relation.sentence }}
      </li>
    </ul>
    <div class="more">
      <details ref="explained">
        <summary>What it does, when it helps, what could break</summary>
        <p class="small muted">Reach: {{ remedy.reach }}. {{ REACH[remedy.reach] }} {{ RISK[remedy.reach] }}</p>
        <dl>
          <div v-for="[term, text] in facts" :key="term">
            <dt>{{ term }}</dt>
            <dd>{{ text }}</dd>
          </div>
        </dl>
      </details>
      <details v-if="evidence && evidence.items.length > 0">
        <summary>Evidence from this site</summary>
        <div class="scroll">
          <table class="figures">
            <thead>
              <tr>
                <th scope="col">File</th>
                <th scope="col">What we saw</th>
                <th scope="col" class="num">Sent now</th>
                <th scope="col" class="num">Could save</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="one in evidence.items" :key="one.item">
                <td>
                  <code>{{ one.item }}</code>
                </td>
                <td>{{ one.note }}</td>
                <td class="num">{{ bytes(one.bytes) }}</td>
                <td class="num">{{ one.savedBytes > 0 ? bytes(one.savedBytes) : '–' }}</td>
              </tr>
            </tbody>
          </table>
        </div>
      </details>
      <details @toggle="settingsAsked = true">
        <summary>Settings</summary>
        <div
          v-for="[group, options] in settingsAsked ? groups : []"
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
            :disabled="disabled"
            @change="(value) => set(option.key, value)"
          />
        </div>
      </details>
    </div>
  </article>
</template>

<style scoped>
.remedy {
  padding-block: 0.55rem;
}
header {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(200px, 24rem) 150px;
  gap: 0.3rem 1.2rem;
}
header h3 {
  margin: 0;
}
header p {
  margin: 0.1rem 0;
  max-width: none;
}
.evidence {
  overflow-wrap: anywhere;
}
.switches {
  text-align: right;
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
.more {
  display: flex;
  flex-wrap: wrap;
  gap: 0 1.6rem;
}
details[open] {
  flex: 1 0 100%;
}
summary {
  cursor: pointer;
  padding: 0.2rem 0;
  font-weight: 600;
  font-size: 0.9rem;
}
dl {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(280px, 1fr));
  gap: 0.6rem 1.6rem;
  padding-bottom: 0.5rem;
}
dt {
  font-weight: 600;
  font-size: 0.86rem;
  color: rgb(var(--v-theme-secondary));
}
code {
  overflow-wrap: anywhere;
}
.options {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(340px, 1fr));
  gap: 0.9rem 1.4rem;
  align-items: start;
  padding: 0.5rem 0;
}
h4 {
  grid-column: 1 / -1;
  margin: 0.6rem 0 0;
  font-size: 0.86rem;
  color: rgb(var(--v-theme-secondary));
}
@media (max-width: 900px) {
  header {
    grid-template-columns: minmax(0, 1fr);
  }
  .options {
    grid-template-columns: minmax(0, 1fr);
  }
  .switches {
    text-align: left;
  }
}
</style>
