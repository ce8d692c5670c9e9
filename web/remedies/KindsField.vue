<script setup lang="ts">
import { ref } from 'vue'
import type { PageKind } from '../../core/contracts/setup.ts'
import { durationInWords } from '../../core/catalogue/setting-sentences.ts'
import { useSite } from '../stores/site.ts'
import { useSites } from '../stores/sites.ts'
import ModalDialog from '../ui/ModalDialog.vue'

/** Kinds of pages with a lifetime or rules of their own; edited one at a time, saved together. */
const props = defineProps<{ kinds: readonly PageKind[]; label: string; hint: string; disabled?: boolean }>()
const emit = defineEmits<{ change: [kinds: PageKind[]] }>()
const siteData = useSite()
const sites = useSites()

interface Draft {
  index: number
  name: string
  paths: string
  ownLifetime: boolean
  hours: number
  overrule: boolean
  cookies: string
  sessions: string
}
const draft = ref<Draft | null>(null)
const lines = (text: string): string[] =>
  text
    .split('\n')
    .map((line) => line.trim())
    .filter((line) => line !== '')

const open = (index: number, kind?: Partial<PageKind>): void => {
  draft.value = {
    index,
    name: kind?.name ?? '',
    paths: (kind?.paths ?? []).join('\n'),
    ownLifetime: typeof kind?.lifetimeS === 'number',
    hours: (kind?.lifetimeS ?? 3600) / 3600,
    overrule: kind?.overrule ?? false,
    cookies: (kind?.ignoredCookies ?? []).join('\n'),
    sessions: (kind?.sessionCookies ?? []).join('\n'),
  }
}
/** Kinds that the sitemap shows and no rule names yet. */
const found = (): { name: string; pattern: string }[] =>
  (sites.find(siteData.siteId)?.check.kinds ?? []).flatMap(({ name, pattern }) =>
    pattern === null || props.kinds.some((kind) => kind.name === name) ? [] : [{ name, pattern }],
  )
const save = (): void => {
  if (draft.value === null) return
  const { index, name, paths, ownLifetime, hours, overrule, cookies, sessions } = draft.value
  const kind: PageKind = {
    name: name.trim(),
    paths: lines(paths),
    lifetimeS: ownLifetime ? Math.round(hours * 3600) : null,
    overrule,
    ignoredCookies: lines(cookies),
    sessionCookies: lines(sessions),
  }
  const next = [...props.kinds]
  next.splice(index, index < next.length ? 1 : 0, kind)
  draft.value = null
  emit('change', next)
}
const remove = (index: number): void =>
  emit(
    'change',
    props.kinds.filter((_kind, at) => at !== index),
  )
</script>

<template>
  <div class="kinds" role="group" :aria-label="label">
    <p class="muted small">{{ hint }} If several match an address, the first is used.</p>
    <table v-if="kinds.length > 0" class="figures">
      <thead>
        <tr>
          <th scope="col">Kind</th>
          <th scope="col">Paths</th>
          <th scope="col">Lifetime</th>
          <th scope="col">Its own rules</th>
          <th scope="col"><span class="visually-hidden">Change</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(kind, index) in kinds" :key="kind.name">
          <th scope="row">{{ kind.name }}</th>
          <td>{{ kind.paths.join(', ') }}</td>
          <td>{{ kind.lifetimeS === null ? 'as other pages' : durationInWords(kind.lifetimeS) }}</td>
          <td>
            <template v-if="kind.overrule">stored even though your server (origin) forbids it</template>
            <template v-if="kind.overrule && kind.ignoredCookies.length > 0">; </template>
            <template v-if="kind.ignoredCookies.length > 0"
              >shared by visitors with {{ kind.ignoredCookies.join(', ') }}</template
            >
            <template v-if="kind.sessionCookies.length > 0"
              >{{ kind.overrule || kind.ignoredCookies.length > 0 ? '; ' : '' }}shared until the session ({{
                kind.sessionCookies.join(', ')
              }}) holds something</template
            >
            <template v-if="!kind.overrule && kind.ignoredCookies.length + kind.sessionCookies.length === 0"
              >none</template
            >
          </td>
          <td class="buttons">
            <v-btn size="small" :disabled="disabled" @click="open(index, kind)">Change</v-btn>
            <v-btn size="small" :disabled="disabled" @click="remove(index)">Remove</v-btn>
          </td>
        </tr>
      </tbody>
    </table>
    <div class="bar">
      <v-btn size="small" :disabled="disabled" @click="open(kinds.length)">Add a kind</v-btn>
      <v-btn
        v-for="one in found()"
        :key="one.name"
        size="small"
        variant="text"
        :disabled="disabled"
        @click="open(kinds.length, { name: one.name, paths: [one.pattern] })"
        >{{ one.name }}</v-btn
      >
    </div>
    <ModalDialog :model-value="draft !== null" :width="620" label="Kind of page" @update:model-value="draft = null">
      <form v-if="draft" class="panel dialog" @submit.prevent="save">
        <h2>Kind of page</h2>
        <v-text-field v-model="draft.name" label="Name" maxlength="100" required />
        <v-textarea
          v-model="draft.paths"
          label="Paths, one per line"
          rows="2"
          auto-grow
          placeholder="/stories/*"
          hint="Pages below the path are included; “*” stands for any characters; “/” alone is the home page."
          persistent-hint
        />
        <v-switch v-model="draft.ownLifetime" label="Its own lifetime" />
        <v-text-field
          v-if="draft.ownLifetime"
          v-model.number="draft.hours"
          type="number"
          min="0"
          step="any"
          suffix="hours"
          label="Lifetime where your server (origin) gives none"
        />
        <v-switch
          v-model="draft.overrule"
          label="Store for signed-out visitors even if your server (origin) forbids it or sets cookies"
        />
        <v-textarea
          v-model="draft.cookies"
          label="Cookies that do not change these pages, one per line"
          rows="1"
          auto-grow
          hint="Visitors with these cookies share the stored copy. Never name the cookie that says who is signed in."
          persistent-hint
        />
        <v-textarea
          v-model="draft.sessions"
          label="Cookies that give every visitor a session, one per line"
          rows="1"
          auto-grow
          hint="Visitors share stored pages until they sign in, fill a basket or send a form; until then they get no such cookie."
          persistent-hint
        />
        <p v-if="`${draft.cookies}${draft.sessions}`.trim() !== '' || draft.overrule" class="small">
          Before this can be kept, the privacy check must pass: two signed-in and two signed-out visitors load the same
          pages, and nothing that belongs to one may reach another.
        </p>
        <div class="bar end">
          <v-btn type="button" @click="draft = null">Cancel</v-btn>
          <v-btn
            type="submit"
            color="primary"
            variant="flat"
            :disabled="draft.name.trim() === '' || lines(draft.paths).length === 0"
            >Try in the trial</v-btn
          >
        </div>
      </form>
    </ModalDialog>
  </div>
</template>

<style scoped>
.kinds {
  grid-column: 1 / -1;
  display: grid;
  gap: 0.4rem;
  min-width: 0;
  overflow-x: auto;
}
p {
  margin: 0;
}
.buttons {
  white-space: nowrap;
  text-align: right;
}
.buttons > * + * {
  margin-left: 0.4rem;
}
</style>
