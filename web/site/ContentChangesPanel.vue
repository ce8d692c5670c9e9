<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import type { z } from 'zod'
import { EventTarget, Site, type SaveWatch } from '../../core/contracts/sites.ts'
import { callApi } from '../api/client.ts'
import { useSaving } from '../stores/saving.ts'
import { useProblems } from '../stores/problems.ts'
import { when, whole } from '../format/show.ts'
import ActionButton from '../ui/ActionButton.vue'

/** How the content system tells of changes, and what its last calls came to. */
const props = defineProps<{ site: Site }>()
const problems = useProblems()
const target = ref<EventTarget | null>(null)
const hmacField = ref('')
const saving = ref(false)

const take = (next: EventTarget | undefined): void => {
  if (next === undefined) return
  target.value = next
  hmacField.value = next.hmacField ?? ''
}
const load = async (): Promise<void> =>
  take(await problems.catching(() => callApi('GET', `/sites/${props.site.id}/event-target`, EventTarget)))
onMounted(load)
// A call that arrives changes the site, which is then loaded again.
watch(() => props.site, load)

const put = (change: z.input<typeof SaveWatch>): Promise<Site> =>
  callApi('PUT', `/sites/${props.site.id}/watch`, Site, change)
const { saving: switching, save: switchWatching } = useSaving(() =>
  put({ enabled: !props.site.changes.watching.enabled }),
)
const { saving: keeping, save: changeLifetimes } = useSaving(() =>
  put({ lifetimes: props.site.changes.lifetimes === 'short' ? 'as-set' : 'short' }),
)
const NAMES = { home: 'the home page', feed: 'the feed', sitemap: 'the sitemap' }
const watchingSentence = computed(() => {
  const { enabled, sources, problem, at } = props.site.changes.watching
  if (!enabled) return 'The site is not watched.'
  if (problem !== null) return `Watching failed: ${problem}`
  if (at === null) return 'The site will be checked for changes for the first time in a moment.'
  if (sources.length === 0) return 'There is nothing to watch: the site has no feed and no sitemap with dates.'
  const seen = sources.map(({ path, kind }) => (kind === 'home' ? NAMES.home : `${NAMES[kind]} ${path}`))
  const list = [seen.slice(0, -1).join(', '), seen.at(-1)].filter((part) => part !== '').join(' and ')
  return `Zest Lamp checks ${list} once a minute, and fetches what has changed again.`
})

const act = async (send: () => Promise<EventTarget>): Promise<void> => {
  saving.value = true
  take(await problems.catching(send))
  saving.value = false
}
const renew = (): Promise<void> => act(() => callApi('POST', `/sites/${props.site.id}/event-target/key`, EventTarget))
const saveField = (): Promise<void> => {
  const name = hmacField.value.trim()
  return act(() =>
    callApi('PUT', `/sites/${props.site.id}/event-target`, EventTarget, {
      hmacField: name === '' ? null : name,
    }),
  )
}
</script>

<template>
  <p v-if="site.changes.told === null" class="told">
    <b>Nothing tells Zest Lamp about changes yet.</b>
    {{
      site.changes.lifetimes === 'short'
        ? 'Pages are stored for at most 10 minutes.'
        : 'Pages are stored as long as you set; changes show when they expire.'
    }}
  </p>
  <p v-else class="told">
    {{
      site.changes.told === 'calls'
        ? 'Your content system reports changes, so pages are stored as long as you set.'
        : 'Zest Lamp notices changes itself within about a minute, so pages are stored as long as you set.'
    }}
  </p>
  <h3>Watching</h3>
  <p>
    {{ watchingSentence }}
    <template v-if="site.changes.watching.at"> Last checked {{ when(site.changes.watching.at) }}.</template>
  </p>
  <p class="bar">
    <ActionButton size="small" :under-way="switching" @click="switchWatching">{{
      site.changes.watching.enabled ? 'Stop watching' : 'Watch the site'
    }}</ActionButton>
    <ActionButton v-if="site.changes.told === null" size="small" :under-way="keeping" @click="changeLifetimes">{{
      site.changes.lifetimes === 'short' ? 'Use my lifetimes anyway' : 'Go back to at most 10 minutes'
    }}</ActionButton>
  </p>
  <h3>Calls from your content system</h3>
  <template v-if="target">
    <p>
      Have your content system call this address when something is published, edited or commented on. The message can
      have any form: Zest Lamp finds addresses of your site in it and purges them, and the lists they appear in, before
      it answers. The word
      <code>everything</code> means the whole site, for changes to menus, theme or settings.
    </p>
    <details>
      <summary>Show the address</summary>
      <code class="address">POST {{ target.plainUrl }}</code>
    </details>
    <p class="bar">
      <ActionButton size="small" :under-way="saving" @click="renew">Create a new address</ActionButton>
      <span class="muted small"
        >Its last part is a secret. Example senders for shell, Node and PHP are in docs/senders.</span
      >
    </p>
    <form class="field" @submit.prevent="saveField">
      <v-text-field
        v-model="hmacField"
        label="HMAC field (optional)"
        placeholder="x-signature"
        hint="When set, a call counts only if this field holds the HMAC-SHA256 of its body, made with the secret below."
        persistent-hint
      />
      <ActionButton
        type="submit"
        size="small"
        :under-way="saving"
        :disabled="hmacField.trim() === (target.hmacField ?? '')"
        >Save</ActionButton
      >
    </form>
    <details>
      <summary>Secret, and signed events (RFC 9421)</summary>
      <dl class="target">
        <dt>Secret</dt>
        <dd>
          <code>{{ target.secret }}</code>
        </dd>
        <dt>Address for signed events</dt>
        <dd>
          <code>POST {{ target.url }}</code>
        </dd>
        <dt>keyid</dt>
        <dd>
          <code>{{ target.keyid }}</code>
        </dd>
        <dt>Body</dt>
        <dd>
          <code>{ "change": "notice edited", "paths": ["/notices/…"], "groups": [], "media": [] }</code>
        </dd>
      </dl>
      <p class="muted small">
        A signed event lists pages, files (media), or groups (Cache-Groups, RFC 9875). It is signed with hmac-sha256
        over "@method", "@path" and "content-digest".
      </p>
    </details>
    <h3>Recent changes</h3>
    <p v-if="target.calls.length === 0" class="muted">
      None yet. Save something in your content system to see it here.
    </p>
    <div v-else class="scroll">
      <table class="figures">
        <thead>
          <tr>
            <th scope="col">When</th>
            <th scope="col">Addresses in the message</th>
            <th scope="col">Stored responses purged</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="call in target.calls" :key="call.id">
            <td>{{ when(call.at) }}<template v-if="call.how === 'watched'">, found by watching</template></td>
            <td>
              <template v-if="call.problem">{{ call.problem }}</template>
              <code v-else>{{ call.paths.join(', ') }}</code>
            </td>
            <td>{{ whole(call.purged) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <p class="muted small">What else is purged with a changed page is set in Remedies, under “The site as a whole”.</p>
  </template>
</template>

<style scoped>
h3 {
  margin: 1.2rem 0 0.3rem;
}
.address {
  overflow-wrap: anywhere;
}
.field {
  display: flex;
  gap: 0.8rem;
  align-items: start;
  max-width: 640px;
  margin: 0.8rem 0;
}
.target {
  display: grid;
  grid-template-columns: max-content minmax(0, 1fr);
  gap: 0.25rem 1rem;
}
.target code {
  overflow-wrap: anywhere;
}
dt {
  color: rgb(var(--v-theme-secondary));
}
td code {
  overflow-wrap: anywhere;
}
</style>
