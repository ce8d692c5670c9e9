<script setup lang="ts">
import { computed } from 'vue'
import type { RemedyId, Setup } from '../../core/contracts/setup.ts'
import { REACH, type Remedy, type RemedyOption } from '../../core/remedies/remedy.ts'
import OptionField from './OptionField.vue'

/** A remedy explains itself, and is switched and set for the trial. */
const props = defineProps<{
  remedy: Remedy<RemedyId>
  trial: Setup
  live: Setup | undefined
  disabled: boolean
}>()
const emit = defineEmits<{ change: [setup: Setup] }>()

const settings = computed(
  () => props.trial.remedies[props.remedy.id] as Record<string, unknown> & { enabled: boolean },
)
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
</script>

<template>
  <article class="panel remedy" :aria-labelledby="`remedy-${remedy.id}`">
    <header>
      <div>
        <h3 :id="`remedy-${remedy.id}`">{{ remedy.name }}</h3>
        <p>{{ remedy.inShort }}</p>
        <p class="muted small">Reach: {{ remedy.reach }}. {{ REACH[remedy.reach] }}</p>
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
    <div class="more">
      <details>
        <summary>What it does, when it helps, what could break</summary>
        <dl>
          <div v-for="[term, text] in facts" :key="term">
            <dt>{{ term }}</dt>
            <dd>{{ text }}</dd>
          </div>
        </dl>
      </details>
      <details>
        <summary>Settings</summary>
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
            :disabled="disabled"
            @change="(value) => set(option.key, value)"
          />
        </div>
      </details>
    </div>
  </article>
</template>

<style scoped>
header {
  display: flex;
  justify-content: space-between;
  gap: 1rem;
  flex-wrap: wrap;
}
header p {
  margin: 0.15rem 0;
}
.switches {
  text-align: right;
  min-width: 140px;
}
.more {
  display: flex;
  flex-wrap: wrap;
  gap: 0 2rem;
}
details[open] {
  flex: 1 0 100%;
}
summary {
  cursor: pointer;
  padding: 0.35rem 0;
  font-weight: 600;
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
@media (max-width: 760px) {
  .options {
    grid-template-columns: minmax(0, 1fr);
  }
  .switches {
    text-align: left;
  }
}
</style>
