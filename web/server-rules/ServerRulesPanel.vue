<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { LONGEST_RULES_FILE, RulesChoice, type Culprit, type RulesKind } from '../../core/contracts/server-rules.ts'
import { Setup } from '../../core/contracts/setup.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { findBlock, withBlock, withoutBlock } from '../../core/server-rules/marked-block.ts'
import { olderRules } from '../../core/server-rules/older-rules.ts'
import { lineDifference, readBack } from '../../core/server-rules/read-back.ts'
import { readRulesFile } from '../../core/server-rules/rules-file-text.ts'
import { siteFactsOf } from '../../core/server-rules/rule.ts'
import { chosenRules, rulesOf, rulesText, RULE_TITLES } from '../../core/server-rules/server-rules.ts'
import { saveFile } from '../export/save.ts'
import { useSite } from '../stores/site.ts'
import CheckList from '../ui/CheckList.vue'
import NoteBox from '../ui/NoteBox.vue'
import SelectField from '../ui/SelectField.vue'
import OnServer from './OnServer.vue'
import ProposedPreloads from './ProposedPreloads.vue'
import RulesLines from './RulesLines.vue'
import StoredPages from './StoredPages.vue'
import WorthInServer from './WorthInServer.vue'

/** Rules for the owner's own web server, made from the setup: what each line does, and the file with them in it. */
const props = defineProps<{ site: Site }>()
const siteData = useSite()

const KINDS = [
  { value: 'apache', title: 'Apache, or a server that reads .htaccess' },
  { value: 'nginx', title: 'nginx, for all of its sites' },
  { value: 'nginx-site', title: 'nginx, for this site' },
] as const
const FILES: Record<RulesKind, string> = {
  apache: '.htaccess',
  nginx: 'zest-lamp.conf',
  'nginx-site': 'zest-lamp-site.conf',
}
const WHERE: Record<RulesKind, string> = {
  apache: 'The file .htaccess in the folder of your site, where index.html or index.php is.',
  nginx: 'A file of its own that is included on the level of “http”, often /etc/nginx/conf.d/zest-lamp.conf.',
  'nginx-site': 'A file of its own that is included in the “server” block of this site.',
}
const kind = ref<RulesKind>('apache')
const brotli = ref(false)
const host = ref('')
const ticked = ref<string[]>(['compression', 'lifetimes', 'fingerprinted', 'validators', 'security'])
const present = ref('')
const tooLarge = ref(false)
const leftOut = ref<string[]>([])

const items = computed(() =>
  rulesOf(kind.value)
    .filter((id) => id !== 'backDoor' || props.site.originKey !== null)
    .map((id) => ({ id, title: RULE_TITLES[id] })),
)
const hostProblem = computed(() => {
  const given = host.value.trim()
  const { success, error } = RulesChoice.shape.host.safeParse(given === '' ? null : given)
  return success ? '' : (error.issues[0]?.message ?? '')
})
const preloads = ref('')
const preloaded = computed(() =>
  preloads.value
    .split('\n')
    .map((text) => text.trim())
    .filter((text) => text !== ''),
)
const addPreloads = (paths: string[]): void => {
  preloads.value = [...preloaded.value, ...paths].join('\n')
}
const preloadProblem = computed(() => {
  const { success, error } = RulesChoice.shape.preloads.safeParse(preloaded.value)
  return success ? '' : (error.issues[0]?.message ?? '')
})
const choice = computed<RulesChoice>(() => ({
  kind: kind.value,
  wanted: items.value.map(({ id }) => id).filter((id) => ticked.value.includes(id)),
  host: host.value.trim() === '' || hostProblem.value !== '' ? null : host.value.trim(),
  brotli: brotli.value ? 'there' : 'not-there',
  preloads: preloadProblem.value === '' ? preloaded.value : [],
  leftOut: leftOut.value,
}))
const sections = computed(() =>
  chosenRules(choice.value, siteData.liveVersion?.setup ?? Setup.parse({}), siteFactsOf(props.site)),
)
const rules = computed(() => rulesText(sections.value))
const leaveOut = ({ line, text, rule }: Culprit): void => {
  // What has no line of its own goes as a whole.
  if (line === null) ticked.value = ticked.value.filter((id) => id !== rule)
  else leftOut.value = [...leftOut.value, text]
}
const takeBack = (text: string): void => {
  leftOut.value = leftOut.value.filter((one) => one !== text)
}
const found = computed(() => findBlock(present.value))
/** A block that is there already says what was chosen when it was made. */
watch(
  () => (found.value.kind === 'ours' ? found.value.rules : null),
  (block) => {
    if (block === null) return
    const back = readBack(block)
    if (back.wanted.length === 0) return
    ticked.value = [...back.wanted]
    brotli.value = back.brotli === 'there'
    if (back.host !== null) host.value = back.host
    if (back.preloads.length > 0) preloads.value = back.preloads.join('\n')
  },
)
/** What becomes of the block that is there. */
const difference = computed(() => (found.value.kind === 'ours' ? lineDifference(found.value.rules, rules.value) : null))
const isUnchanged = computed(() => difference.value?.gone.length === 0 && difference.value.come.length === 0)
const older = computed(() => olderRules(present.value, kind.value).filter(({ id }) => choice.value.wanted.includes(id)))
const isReady = computed(
  () =>
    sections.value.length > 0 &&
    found.value.kind !== 'unclear' &&
    hostProblem.value === '' &&
    preloadProblem.value === '',
)
const change = computed(() => {
  if (present.value === '')
    return 'A new file. If your server has one already, paste or open it above: nothing outside the block of Zest Lamp changes.'
  if (found.value.kind === 'unclear') return found.value.why
  if (found.value.kind === 'none') return 'The block is added at the beginning; every other byte of the file stays.'
  const [from, to] = found.value.lines
  if (isUnchanged.value) return `The block in lines ${from} to ${to} holds these rules already.`
  const hand = found.value.changedByHand ? ' It has been changed by hand since, which will be lost.' : ''
  return `The block in lines ${from} to ${to} is replaced; every other byte stays.${hand}`
})
const open = async (event: Event): Promise<void> => {
  const input = event.target as HTMLInputElement
  const file = input.files?.[0]
  if (file === undefined) return
  tooLarge.value = file.size > LONGEST_RULES_FILE
  if (!tooLarge.value) present.value = readRulesFile(new Uint8Array(await file.arrayBuffer())).text
  input.value = ''
}
const copied = ref(false)
const copy = async (): Promise<void> => {
  await navigator.clipboard.writeText(withBlock('', rules.value))
  copied.value = true
}
watch(rules, () => (copied.value = false))
const save = (): void => saveFile(FILES[kind.value], 'text/plain', withBlock(present.value, rules.value))
const saveWithout = (): void => saveFile(FILES[kind.value], 'text/plain', withoutBlock(present.value))
</script>

<template>
  <p class="lead">
    Where nothing can stand in front of your site, your own web server can do part of it. These rules come from the
    settings of live; each line says what it does.
  </p>
  <WorthInServer :site="site" />
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
        v-if="kind !== 'nginx' && ticked.includes('https')"
        v-model="host"
        label="Host name that all visitors are to use"
        placeholder="www.example.org"
        :error-messages="hostProblem"
      />
      <v-textarea
        v-if="choice.wanted.includes('preload')"
        v-model="preloads"
        rows="3"
        label="Files that every page needs first, one per line"
        placeholder="/style.css"
        hint="Usually the main style sheet and the font of the text."
        persistent-hint
        spellcheck="false"
        :error-messages="preloadProblem"
      />
      <template v-if="choice.wanted.includes('preload')">
        <ProposedPreloads :site-id="site.id" :named="preloaded" @take="addPreloads" />
        <p v-if="kind === 'apache'" class="small">
          Over HTTP/2, Apache can name them even before the page is made (early hints). Ask whoever may change its main
          configuration for the line <code>H2EarlyHints on</code>; without it, that part does nothing.
        </p>
      </template>
    </div>
    <div class="choices">
      <v-textarea
        v-model="present"
        rows="7"
        :label="`The present file, if there is one (${FILES[kind]})`"
        hint="Read in your browser, and sent to Zest Lamp only when you rehearse."
        persistent-hint
        spellcheck="false"
        class="present"
      />
      <label class="small">Or open it: <input type="file" @change="open" /></label>
      <p v-if="tooLarge" class="problem" role="alert">
        This file is larger than 256 kB. Open the rules file of the site alone.
      </p>
    </div>
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
  <details v-if="difference && !isUnchanged">
    <summary>
      What changes in it: lines that go {{ difference.gone.length }}, lines that come {{ difference.come.length }}
    </summary>
    <pre class="difference"><span v-for="(one, at) in difference.gone" :key="`-${at}`">− {{ one }}
</span><span v-for="(one, at) in difference.come" :key="`+${at}`">+ {{ one }}
</span></pre>
  </details>
  <div class="bar">
    <v-btn color="primary" variant="flat" :disabled="!isReady" @click="save">Save the file with these rules</v-btn>
    <v-btn :disabled="!isReady" @click="copy">{{ copied ? 'Copied' : 'Copy the rules' }}</v-btn>
    <v-btn v-if="found.kind === 'ours'" @click="saveWithout">Save it without them</v-btn>
    <span class="muted small">{{ WHERE[kind] }}</span>
  </div>
  <p class="muted small">
    Keep a copy of the present file, and open your site at once after the change: if it does not answer, put the copy
    back. What your server then sends shows under
    <RouterLink :to="{ name: 'check', params: { siteId: site.id } }">Measure, Quick check</RouterLink>, and what it is
    worth in a measurement of your server (origin).
  </p>
  <RulesLines :sections="sections" />
  <p v-if="leftOut.length > 0" class="small">
    Left out:
    <span v-for="text in leftOut" :key="text"
      ><code>{{ text }}</code> <v-btn size="small" variant="text" @click="takeBack(text)">Take it back</v-btn></span
    >
  </p>
  <OnServer
    :site="site"
    :choice="choice"
    :rules="rules"
    :present="present"
    :ready="isReady"
    @leave-out="leaveOut"
    @read="present = $event"
  />
  <StoredPages v-if="choice.wanted.includes('storedPages')" :site="site" />
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
.older {
  margin-top: 0.6rem;
}
.difference {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  font-size: 0.85rem;
}
ul {
  margin: 0.2rem 0;
  padding-left: 1.2rem;
}
</style>
