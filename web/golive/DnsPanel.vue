<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import { z } from 'zod'
import { roughlyInWords } from '../../core/catalogue/setting-sentences.ts'
import { withNextSerial, withShortTtl } from '../../core/golive/dns-plan.ts'
import {
  DnsAnswer,
  DnsPlan,
  NameServerComparison,
  type DnsRecord,
  type DnsTarget,
} from '../../core/contracts/going-live.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { writeZone } from '../../core/formats/zone-file.ts'
import { callApi } from '../api/client.ts'
import { saveFile } from '../export/save.ts'
import { useProblems } from '../stores/problems.ts'
import ActionButton from '../ui/ActionButton.vue'
import NoteBox from '../ui/NoteBox.vue'

/** What the DNS has to say so that visitors come to Zest Lamp: each line, what to wait for, and the way back. */
const props = defineProps<{ site: Site; known?: DnsTarget | null }>()
const emit = defineEmits<{ planned: [] }>()
const problems = useProblems()

const addresses = ref(props.known?.addresses.join(', ') ?? '')
const alias = ref(props.known?.alias ?? '')
const zoneFile = ref('')
const moreNames = ref('')
const plan = shallowRef<DnsPlan | null>(null)
const answers = shallowRef<readonly DnsAnswer[] | null>(null)
const working = ref(false)
const asking = ref(false)
const path = computed(() => `/sites/${props.site.id}/going-live`)

const wordsOf = (text: string): string[] => text.split(/[\s,;]+/).filter((word) => word !== '')
const target = computed(() => ({ addresses: wordsOf(addresses.value), alias: alias.value.trim() || null }))
// What was said of another place holds no longer.
watch([target, zoneFile, moreNames, path], () => {
  plan.value = null
  answers.value = null
})

const look = async (): Promise<void> => {
  working.value = true
  const came = await problems.catching(() =>
    callApi('POST', `${path.value}/dns-plans`, DnsPlan, {
      ...target.value,
      zoneFile: zoneFile.value.trim() === '' ? null : zoneFile.value,
      moreNames: wordsOf(moreNames.value),
    }),
  )
  working.value = false
  if (came === undefined) return
  plan.value = came
  emit('planned')
}
const ask = async (): Promise<void> => {
  asking.value = true
  const came = await problems.catching(() =>
    callApi('POST', `${path.value}/dns-answers`, z.array(DnsAnswer), target.value),
  )
  asking.value = false
  if (came !== undefined) answers.value = came
}

const newServers = ref('')
const comparing = ref(false)
const comparison = shallowRef<NameServerComparison | null>(null)
watch(newServers, () => (comparison.value = null))
const compare = async (): Promise<void> => {
  comparing.value = true
  const came = await problems.catching(() =>
    callApi('POST', `${path.value}/name-server-comparisons`, NameServerComparison, {
      servers: wordsOf(newServers.value),
      moreNames: wordsOf(moreNames.value),
    }),
  )
  comparing.value = false
  if (came !== undefined) comparison.value = came
}

const lineOf = ({ name, ttl, type, data }: DnsRecord): string => `${name} ${ttl} ${type} ${data}`
const save = (what: string, text: string): void =>
  saveFile(`${plan.value?.zone ?? 'zone'}-${what}.zone`, 'text/plain', text)
const shortened = computed(() =>
  plan.value === null
    ? ''
    : writeZone(withNextSerial(withShortTtl(plan.value.records, plan.value.lowerFirst), 1), plan.value.zone),
)
const WHERE: Readonly<Record<DnsAnswer['state'], string>> = {
  new: 'to Zest Lamp',
  old: 'to another server',
  both: 'to both',
  none: 'nowhere',
  silent: 'gave no answer',
}
</script>

<template>
  <p>
    When the trial is decided, visitors come to Zest Lamp through the DNS. Say where it runs, and see which lines of
    your zone change. Nothing is changed here: make the changes at your DNS provider.
  </p>
  <form class="target" @submit.prevent="look">
    <v-text-field
      v-model="addresses"
      label="Addresses of the machine Zest Lamp runs on"
      placeholder="192.0.2.1, 2001:db8::1"
      hide-details
    />
    <v-text-field v-model="alias" label="A host name that stands for them, if there is one" hide-details />
    <details>
      <summary>I have my zone as a file, or more names than usual</summary>
      <v-textarea
        v-model="zoneFile"
        rows="4"
        label="Zone file (RFC 1035)"
        hint="Without it, name servers are asked for the usual names; they tell only what they are asked for."
        persistent-hint
      />
      <v-text-field v-model="moreNames" label="More names to ask for" hide-details />
    </details>
    <div class="bar">
      <ActionButton
        type="submit"
        size="small"
        color="primary"
        variant="flat"
        :under-way="working"
        :disabled="target.addresses.length === 0 && target.alias === null"
        >Show what changes</ActionButton
      >
      <ActionButton size="small" :under-way="asking" @click="ask">Who sees what now</ActionButton>
    </div>
  </form>

  <template v-if="plan !== null">
    <NoteBox v-if="plan.problems.length > 0" kind="warning" class="apart">
      <p v-for="problem in plan.problems" :key="problem">{{ problem }}</p>
    </NoteBox>
    <p v-if="plan.changes.length === 0" role="status">
      Nothing changes: {{ site.liveHost }} leads there already, as far as the zone says.
    </p>
    <template v-else>
      <ol class="steps">
        <li v-if="plan.lowerFirst.length > 0">
          Lower the time to live of these records to 300, then wait {{ roughlyInWords(plan.waitS) }}, until nobody
          remembers the old one.
          <ul class="lines">
            <li v-for="record in plan.lowerFirst" :key="lineOf(record)">
              <code>{{ lineOf(record) }}</code>
            </li>
          </ul>
        </li>
        <li>
          Change these lines of the zone {{ plan.zone }}.
          <ul class="lines">
            <li v-for="{ what, record } in plan.changes" :key="what + lineOf(record)" :class="what">
              <span class="visually-hidden">{{ what === 'add' ? 'Add' : 'Remove' }}</span>
              <code>{{ lineOf(record) }}</code>
            </li>
          </ul>
        </li>
        <li>Look who sees what. That some still see the old address for a day is normal.</li>
        <li>The way back: the lines as they were. Keep its file.</li>
      </ol>
      <ul v-if="plan.notes.length > 0" class="notes">
        <li v-for="note in plan.notes" :key="note">{{ note }}</li>
      </ul>
      <p v-if="!plan.isWhole" class="small muted">
        {{ plan.records.length }} records were found by asking. Others may exist: do not replace a whole zone by a file
        that was made so.
      </p>
      <div class="bar">
        <v-btn v-if="plan.lowerFirst.length > 0" size="small" @click="save('short', shortened)"
          >Save the zone with short times</v-btn
        >
        <v-btn size="small" @click="save('changed', plan.zoneFile)">Save the changed zone</v-btn>
        <v-btn size="small" @click="save('way-back', plan.zoneFileBefore)">Save the way back</v-btn>
      </div>
    </template>
  </template>

  <details class="apart">
    <summary>I am moving to other name servers</summary>
    <form class="target" @submit.prevent="compare">
      <v-text-field
        v-model="newServers"
        label="The new name servers"
        placeholder="ns1.keeper.example, ns2.keeper.example"
        hint="Enter all records there first. Then every record that is known on either side is compared."
        persistent-hint
      />
      <div class="bar">
        <ActionButton type="submit" size="small" :under-way="comparing" :disabled="wordsOf(newServers).length === 0"
          >Compare every record</ActionButton
        >
      </div>
    </form>
    <template v-if="comparison !== null">
      <p role="status">
        <b>{{
          comparison.missing.length + comparison.different.length === 0
            ? `Nothing is missing: ${comparison.same} names and types say the same on both sides.`
            : `${comparison.missing.length} missing and ${comparison.different.length} different on the new name servers. Do not change yet.`
        }}</b>
      </p>
      <ul class="lines">
        <li v-for="record in comparison.missing" :key="lineOf(record)">
          missing: <code>{{ lineOf(record) }}</code>
        </li>
        <li v-for="{ was, is } in comparison.different" :key="was.map(lineOf).join()">
          different: <code>{{ was.map(lineOf).join('; ') }}</code> there <code>{{ is.map(lineOf).join('; ') }}</code>
        </li>
        <li v-for="record in comparison.extra" :key="lineOf(record)">
          only there: <code>{{ lineOf(record) }}</code>
        </li>
      </ul>
      <p v-for="problem in comparison.problems" :key="problem" class="small muted">{{ problem }}</p>
      <p class="small muted">
        Name servers tell only what they are asked for: names that nobody knows of are not compared.
      </p>
    </template>
  </details>

  <table v-if="answers !== null" class="figures apart">
    <caption>
      Where visitors of
      {{
        site.liveHost
      }}
      are sent
    </caption>
    <thead>
      <tr>
        <th scope="col">Name server</th>
        <th scope="col">Sends visitors</th>
        <th scope="col">Addresses</th>
        <th scope="col" class="num">Asks again in</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="answer in answers" :key="answer.resolver">
        <th scope="row">{{ answer.resolver }}</th>
        <td>{{ WHERE[answer.state] }}</td>
        <td>{{ answer.addresses.join(', ') || '–' }}</td>
        <td class="num">{{ answer.ttl === null ? '–' : `${answer.ttl} s` }}</td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.target {
  display: grid;
  gap: 0.7rem;
  max-width: 46rem;
}
.apart {
  margin-top: 0.8rem;
}
.steps,
.notes {
  max-width: 52rem;
  padding-left: 1.3rem;
}
.steps > li,
.notes > li {
  margin: 0.4rem 0;
}
caption {
  text-align: left;
  margin-bottom: 0.3rem;
}
.lines {
  list-style: none;
  padding: 0;
  margin: 0.3rem 0;
}
.lines li {
  padding: 0.15rem 0.5rem;
  overflow-wrap: anywhere;
  background: rgb(var(--v-theme-surface));
}
.lines .add::before {
  content: '+ ';
}
.lines .remove::before {
  content: '− ';
}
</style>
