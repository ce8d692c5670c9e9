<script setup lang="ts">
import { computed, defineAsyncComponent, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useTheme } from 'vuetify'
import { mdiMagnify } from '@mdi/js'
import type { Command } from './CommandPalette.vue'
import JobTray from './JobTray.vue'
import { PARENT, PLACES } from './places.ts'
import ProblemNote from '../ui/ProblemNote.vue'
import { listenLive } from '../api/live-events.ts'
import { useSite } from '../stores/site.ts'
import { useJobs } from '../stores/jobs.ts'
import { useProblems } from '../stores/problems.ts'
import { useTrialChecks } from '../stores/trial-checks.ts'
import { useSession } from '../stores/session.ts'
import { isWriting, useShortcuts } from '../stores/shortcuts.ts'
import { useSites } from '../stores/sites.ts'
import { useLightPaper } from '../theme/paper.ts'

const route = useRoute()
const router = useRouter()
const theme = useTheme()
useLightPaper()
const session = useSession()
const sites = useSites()
const jobs = useJobs()
const siteData = useSite()
const trialChecks = useTrialChecks()
const problems = useProblems()
const CommandPalette = defineAsyncComponent(() => import('./CommandPalette.vue'))
const palette = ref<{ show: () => void } | null>(null)
/** Few need it in their first minutes; it is loaded with the first wish for it. */
const paletteWanted = ref(false)
const showPalette = (): void => {
  if (palette.value === null) paletteWanted.value = true
  else palette.value.show()
}

const siteId = computed(() => route.params['siteId'] as string | undefined)
const site = computed(() => (siteId.value === undefined ? undefined : sites.find(siteId.value)))
const here = computed(() => PARENT[String(route.name)] ?? String(route.name))

let stop: (() => void) | undefined
watch(
  () => session.account?.id,
  (id) => {
    stop?.()
    stop = undefined
    if (id === undefined) return
    void problems.unasked(() => Promise.all([sites.load(), jobs.load()]))
    stop = listenLive({
      job: jobs.take,
      changed: (changed) => {
        if (changed.what === 'site') void problems.unasked(() => sites.load())
        void problems.unasked(() => Promise.all([siteData.refresh(changed), trialChecks.refresh(changed)]))
      },
      again: () =>
        void problems.unasked(async () => {
          await Promise.all([sites.load(), jobs.load()])
          if (siteData.siteId !== '')
            await Promise.all([siteData.open(siteData.siteId), trialChecks.open(siteData.siteId)])
        }),
    })
  },
  { immediate: true },
)
onBeforeUnmount(() => stop?.())

const shortcuts = useShortcuts()
/** Digits open the places of the open site; a question mark says so. */
const onKey = (event: KeyboardEvent): void => {
  const wantsPalette = (event.ctrlKey || event.metaKey) && event.key.toLowerCase() === 'k'
  if (wantsPalette && session.account !== null && !paletteWanted.value) {
    event.preventDefault()
    paletteWanted.value = true
    return
  }
  if (!shortcuts.singleKeys || session.account === null || event.ctrlKey || event.metaKey || event.altKey) return
  if (isWriting(event.target)) return
  const place = PLACES[Number(event.key) - 1]
  if (event.key === '?') void router.push({ name: 'keyboard' })
  else if (place !== undefined && site.value !== undefined)
    void router.push({ name: place.name, params: { siteId: siteId.value } })
}
// Whoever signs in next has not asked for it.
watch(
  () => session.account,
  (account) => {
    if (account === null) paletteWanted.value = false
  },
)
onMounted(() => window.addEventListener('keydown', onKey))
onBeforeUnmount(() => window.removeEventListener('keydown', onKey))

const toggleTheme = (): void => void theme.change(theme.current.value.dark ? 'light' : 'dark')
const leave = async (): Promise<void> => {
  await problems.catching(() => session.leave())
  await router.push({ name: 'sign-in' })
}

const commands = computed<Command[]>(() => [
  ...(site.value === undefined
    ? []
    : PLACES.map(({ name, title }) => ({
        title,
        hint: site.value!.name,
        run: () => void router.push({ name, params: { siteId: siteId.value } }),
      }))),
  ...sites.sites.map((one) => ({
    title: `Open ${one.name}`,
    hint: one.liveHost,
    run: () => void router.push({ name: 'today', params: { siteId: one.id } }),
  })),
  { title: 'All sites', run: () => void router.push({ name: 'sites' }) },
  { title: 'Connect a site', run: () => void router.push({ name: 'connect' }) },
  ...(site.value === undefined
    ? []
    : [
        {
          title: 'Set-up guide',
          hint: site.value.name,
          run: () => void router.push({ name: 'start', params: { siteId: siteId.value } }),
        },
      ]),
  { title: 'Keyboard shortcuts', run: () => void router.push({ name: 'keyboard' }) },
  { title: 'Account and API tokens', run: () => void router.push({ name: 'account' }) },
  { title: 'Switch between light and dark', run: toggleTheme },
  { title: 'Sign out', run: () => void leave() },
])
</script>

<template>
  <v-app>
    <!-- Who has just signed in sees that view until the next one is loaded, not inside the shell for a moment. -->
    <router-view v-if="session.account === null || route.meta['open'] === true" />
    <div v-else class="shell">
      <a class="skip" href="#main">Skip to the content</a>
      <nav class="rail" aria-label="Main">
        <router-link class="brand" :to="{ name: 'sites' }"
          ><img src="/lamp.svg" alt="" width="26" height="26" /> Zest Lamp</router-link
        >
        <template v-if="site">
          <p class="site-name">{{ site.name }}</p>
          <router-link
            v-for="place in PLACES"
            :key="place.name"
            class="place"
            :class="{ here: here === place.name }"
            :aria-current="here === place.name ? 'page' : undefined"
            :to="{ name: place.name, params: { siteId } }"
          >
            <v-icon :icon="place.icon" size="19" /> {{ place.title }}
          </router-link>
        </template>
        <div class="rail-end">
          <button type="button" class="place" @click="showPalette">
            <v-icon :icon="mdiMagnify" size="19" /> <span>Go to … <kbd>Ctrl K</kbd></span>
          </button>
          <router-link class="place" :to="{ name: 'keyboard' }">Keyboard</router-link>
          <router-link class="place" :to="{ name: 'account' }">{{ session.account.name }}</router-link>
          <button type="button" class="place" @click="toggleTheme">
            {{ theme.current.value.dark ? 'Light' : 'Dark' }} theme
          </button>
          <button type="button" class="place" @click="leave">Sign out</button>
        </div>
      </nav>
      <div class="stage">
        <ProblemNote />
        <main id="main" tabindex="-1"><router-view /></main>
        <JobTray class="stage-end" />
      </div>
    </div>
    <CommandPalette v-if="session.account && paletteWanted" ref="palette" opened :commands="commands" />
  </v-app>
</template>

<style scoped>
.shell {
  display: grid;
  grid-template-columns: 196px minmax(0, 1fr);
  height: 100dvh;
}
.skip {
  position: absolute;
  left: -999px;
}
.skip:focus {
  left: 8px;
  top: 8px;
  z-index: 10;
  background: rgb(var(--v-theme-surface));
  padding: 0.4rem 0.8rem;
}
.rail {
  display: flex;
  flex-direction: column;
  padding: 0.9rem 0 0.8rem;
  border-right: 1px solid rgb(var(--v-theme-line));
  overflow-y: auto;
}
.brand {
  display: flex;
  align-items: center;
  gap: 0.55rem;
  font-weight: 700;
  font-size: 1.05rem;
  color: inherit;
  text-decoration: none;
  padding: 0 1rem 0.9rem;
}
.site-name {
  padding: 0.4rem 1rem;
  font-weight: 600;
}
.place {
  display: flex;
  align-items: center;
  gap: 0.6rem;
  padding: 0.42rem 1rem;
  color: inherit;
  text-decoration: none;
  font: inherit;
  text-align: left;
  background: none;
  border: 0 solid transparent;
  border-left-width: 3px;
  width: 100%;
  cursor: pointer;
  overflow-wrap: anywhere;
}
.place:hover {
  background: rgb(var(--v-theme-surface-variant), 0.6);
}
.rail .place,
.rail .brand {
  color: inherit;
}
.place.here {
  border-left-color: rgb(var(--v-theme-trial));
  background: rgb(var(--v-theme-surface));
  font-weight: 650;
}
.rail-end {
  margin-top: auto;
  font-size: 0.86rem;
}
kbd {
  font: inherit;
  font-size: 0.78rem;
  border: 1px solid rgb(var(--v-theme-line));
  padding: 0 0.3em;
}
.stage {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr) auto;
  min-width: 0;
  height: 100dvh;
}
/* Named rows: the note and the tray come and go. */
.stage-end {
  grid-row: 3;
}
main {
  overflow: auto;
  outline: none;
  grid-row: 2;
}
@media (max-width: 760px) {
  .shell {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: auto minmax(0, 1fr);
  }
  .rail {
    flex-direction: row;
    align-items: center;
    padding: 0.3rem 0.5rem;
    border-right: 0;
    border-bottom: 1px solid rgb(var(--v-theme-line));
    overflow-x: auto;
  }
  .brand {
    padding: 0 0.6rem 0 0.3rem;
    font-size: 0;
    gap: 0;
  }
  .site-name {
    display: none;
  }
  .place {
    padding: 0.5rem 0.55rem;
    white-space: nowrap;
    width: auto;
    border-width: 0 0 3px;
    overflow-wrap: normal;
  }
  .place.here {
    border-bottom-color: rgb(var(--v-theme-trial));
  }
  .place .v-icon {
    display: none;
  }
  .rail-end {
    display: flex;
    margin: 0;
  }
  .stage {
    height: auto;
    min-height: 0;
  }
}
</style>
