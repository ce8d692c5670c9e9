<script setup lang="ts">
import { computed, ref } from 'vue'
import { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { findBlock, withBlock, withoutBlock } from '../../core/server-rules/marked-block.ts'
import { olderRules } from '../../core/server-rules/older-rules.ts'
import { RULE_IDS, type RuleId, type ServerKind } from '../../core/contracts/server-rules.ts'
import { rulesText, RULE_TITLES, serverRules } from '../../core/server-rules/server-rules.ts'
import { saveFile } from '../export/save.ts'
import { useSite } from '../stores/site.ts'
import CheckList from '../ui/CheckList.vue'
import NoteBox from '../ui/NoteBox.vue'
import SelectField from '../ui/SelectField.vue'

/** Rules for the owner's own web server, made from the setup: what each line does, and the file with them in it. */
defineProps<{ site: Site }>()
const siteData = useSite()

const KINDS = [
  { value: 'apache', title: 'Apache, or a server that reads .htaccess' },
  { value: 'nginx', title: 'nginx' },
] as const
const FILES: Record<ServerKind, string> = { apache: '.htaccess', nginx: 'zest-lamp.conf' }
const WHERE: Record<ServerKind, string> = {
  apache: 'The file .htaccess in the folder of your site, where index.html or index.php is.',
  nginx: 'A file of its own that is included on the level of “http”, often /etc/nginx/conf.d/zest-lamp.conf.',
}
const kind = ref<ServerKind>('apache')
const brotli = ref(false)
const host = ref('')
const ticked = ref<string[]>(['compression', 'lifetimes', 'fingerprinted', 'validators', 'security'])
const present = ref('')

/** What stands on its own names of files is no rule by itself. */
const wanted = computed<RuleId[]>(() =>
  RULE_IDS.filter(
    (id) =>
      ticked.value.includes(id) &&
      (id !== 'fingerprinted' || kind.value === 'apache' || ticked.value.includes('lifetimes')),
  ),
)
const items = computed(() =>
  RULE_IDS.filter((id) => kind.value === 'apache' || id !== 'https').map((id) => ({ id, title: RULE_TITLES[id] })),
)
/** The settings of live; what is ticked here is on, whatever delivery does. */
const setup = computed(() => {
  const { remedies } = siteData.liveVersion?.setup ?? Setup.parse({})
  const on = {
    compression: { ...remedies.compression, enabled: true },
    browserCache: { ...remedies.browserCache, enabled: true },
  }
  return Setup.parse({ remedies: { ...remedies, ...on } })
})
const sections = computed(() =>
  serverRules(
    kind.value,
    setup.value,
    { host: host.value.trim() === '' ? null : host.value.trim(), brotli: brotli.value ? 'there' : 'not-there' },
    wanted.value,
  ),
)
const HOST = /^[a-z0-9](?:[a-z0-9.-]*[a-z0-9])?$/i
const hostProblem = computed(() =>
  host.value.trim() === '' || HOST.test(host.value.trim()) ? '' : 'Give a host name alone, such as www.example.org.',
)
const found = computed(() => findBlock(present.value))
const older = computed(() => olderRules(present.value, kind.value).filter(({ id }) => wanted.value.includes(id)))
const isReady = computed(() => sections.value.length > 0 && found.value.kind !== 'unclear' && hostProblem.value === '')
const change = computed(() => {
  if (present.value === '')
    return 'A new file. If your server has one already, paste it below: nothing outside the block of Zest Lamp changes.'
  if (found.value.kind === 'unclear') return found.value.why
  if (found.value.kind === 'none') return 'The block is added at the beginning; every other byte of the file stays.'
  const [from, to] = found.value.lines
  const hand = found.value.changedByHand ? ' It has been changed by hand since, which will be lost.' : ''
  return `The block in lines ${from} to ${to} is replaced; every other byte stays.${hand}`
})
const save = (): void => saveFile(FILES[kind.value], 'text/plain', withBlock(present.value, rulesText(sections.value)))
const saveWithout = (): void => saveFile(FILES[kind.value], 'text/plain', withoutBlock(present.value))
</script>

<template>
  <p class="lead">
    Where nothing can stand in front of your site, your own web server can do part of it. These rules come from the
    settings of live; each line says what it does.
  </p>
  <div class="columns">
    <div class="choices">
      <SelectField v-model="kind" :items="KINDS" label="Your web server" />
      <CheckList v-model="ticked" legend="Rules" :items="items" />
      <v-checkbox
        v-if="kind === 'nginx'"
        v-model="brotli"
        label="The server has the Brotli module"
        hide-details
        density="compact"
      />
      <v-text-field
        v-if="kind === 'apache' && ticked.includes('https')"
        v-model="host"
        label="Host name that all visitors are to use"
        placeholder="www.example.org"
        :error-messages="hostProblem"
      />
    </div>
    <v-textarea
      v-model="present"
      rows="7"
      :label="`The present file, if there is one (${FILES[kind]})`"
      hint="Read in your browser only, and sent nowhere."
      persistent-hint
      spellcheck="false"
      class="present"
    />
  </div>
  <NoteBox v-if="older.length > 0" kind="warning" class="older">
    <p>Other rules in this file do the same. Two of a kind contradict each other: remove them, or leave ours out.</p>
    <ul>
      <li v-for="one in older" :key="one.line">
        Line {{ one.line }}, {{ RULE_TITLES[one.id].toLowerCase() }}: <code>{{ one.text }}</code>
      </li>
    </ul>
  </NoteBox>
  <p :class="{ problem: found.kind === 'unclear' }" role="status">{{ change }}</p>
  <div class="bar">
    <v-btn color="primary" variant="flat" :disabled="!isReady" @click="save">Save the file with these rules</v-btn>
    <v-btn v-if="found.kind === 'ours'" @click="saveWithout">Save it without them</v-btn>
    <span class="muted small">{{ WHERE[kind] }}</span>
  </div>
  <p class="muted small">
    Keep a copy of the present file, and open your site at once after the change: if it does not answer, put the copy
    back. What your server then sends shows under
    <RouterLink :to="{ name: 'check', params: { siteId: site.id } }">Measure, Quick check</RouterLink>, and what it is
    worth in a measurement of your server (origin).
  </p>
  <details v-for="section in sections" :key="section.id">
    <summary>{{ section.title }}</summary>
    <div class="scroll" tabindex="0">
      <table class="figures rules">
        <caption class="visually-hidden">
          {{
            section.title
          }}, line by line
        </caption>
        <thead>
          <tr>
            <th scope="col">Line</th>
            <th scope="col">What it does</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(one, at) in section.lines" :key="at">
            <td>
              <code>{{ one.text }}</code>
            </td>
            <td>{{ one.why }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </details>
</template>

<style scoped>
.lead {
  max-width: 48rem;
}
.columns {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(22rem, 100%), 1fr));
  gap: 0.6rem 1.6rem;
}
.choices {
  display: grid;
  gap: 0.6rem;
  align-content: start;
}
.present :deep(textarea) {
  font-family: monospace;
  font-size: 0.85rem;
}
.problem {
  color: rgb(var(--v-theme-error));
}
.rules td {
  vertical-align: top;
  min-width: 12rem;
}
.rules code {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
.older {
  margin-top: 0.6rem;
}
ul {
  margin: 0.2rem 0;
  padding-left: 1.2rem;
}
</style>
