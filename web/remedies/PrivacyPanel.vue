<script setup lang="ts">
import { computed, reactive, ref, watch } from 'vue'
import { Job } from '../../core/contracts/jobs.ts'
import type { PrivacyCheckOrder, PrivacyState } from '../../core/contracts/privacy.ts'
import { callApi } from '../api/client.ts'
import { useSite } from '../stores/site.ts'
import { useProblems } from '../stores/problems.ts'
import { howMany, when, whole } from '../format/show.ts'
import ModalDialog from '../ui/ModalDialog.vue'

/** Two signed-in and two signed-out visitors ask for the same pages through the trial; what of one reaches another is shown side by side. */
const props = defineProps<{ state: PrivacyState; disabled: boolean }>()
const siteData = useSite()
const problems = useProblems()

const open = ref(false)
const signInPath = ref('/sign-in')
const how = ref<'form' | 'cookie'>('form')
const nameField = ref('name')
const passwordField = ref('password')
const people = reactive([
  { name: '', password: '', cookie: '' },
  { name: '', password: '', cookie: '' },
])
const complete = computed(() =>
  people.every(({ name, password, cookie }) =>
    how.value === 'form' ? name !== '' && password !== '' : cookie.trim() !== '',
  ),
)
const order = (): PrivacyCheckOrder => {
  const [first, second] = people.map((person) =>
    how.value === 'form'
      ? {
          kind: 'form' as const,
          fields: { [nameField.value]: person.name, [passwordField.value]: person.password },
        }
      : { kind: 'cookie' as const, cookie: person.cookie.trim() },
  )
  return { signInPath: signInPath.value, visitors: [first!, second!] }
}
const start = async (): Promise<void> => {
  const job = await problems.catching(() => callApi('POST', siteData.path('/privacy/checks'), Job, order()))
  if (job !== undefined) open.value = false
}
// What was typed is not kept here either, whether it was used or not.
watch(open, (now) => {
  if (!now) for (const person of people) Object.assign(person, { name: '', password: '', cookie: '' })
})
const latest = computed(() => props.state.latest)
const headline = computed(() => {
  const check = latest.value
  if (check === null) return 'It has not been run yet.'
  const at = when(check.at)
  if (check.state === 'running') return 'It is running; its progress is below.'
  if (check.state === 'failed') return `The check of ${at} did not finish.`
  if (check.state === 'passed')
    return check.current
      ? `Passed ${at}: nothing of one visitor reached another, and everyone saw their own pages, on ${whole(check.pages)} pages, with ${whole(check.stored)} responses from the store.`
      : `A check passed ${at} with other settings. Run it again for these.`
  const lost = check.leaks.filter(({ kind }) => kind === 'own-lost').length
  const reached = check.leaks.length - lost
  const found = [
    ...(reached > 0 ? [`${howMany(reached, 'thing')} of one visitor reached another`] : []),
    ...(lost > 0 ? [`${howMany(lost, 'thing')} of a signed-in visitor went missing`] : []),
  ]
  return `${at}: ${found.join(', ')}${check.current ? '' : ', with settings that have changed since'}. This cannot be published.`
})
</script>

<template>
  <section class="panel privacy" aria-labelledby="privacy-head">
    <header class="bar">
      <div>
        <h2 id="privacy-head">Privacy check</h2>
        <p>
          {{ state.needed.join(', ') }}: visitors share copies that the safe defaults would keep separate, so nothing
          can be kept before this check has passed. <b>{{ headline }}</b>
        </p>
      </div>
      <v-btn color="primary" variant="outlined" :disabled="disabled" @click="open = true">Run the privacy check</v-btn>
    </header>
    <template v-if="latest && latest.state === 'leaks'">
      <article v-for="(leak, index) in latest.leaks.slice(0, 12)" :key="index" class="leak">
        <p>
          <code>{{ leak.path }}</code> {{ leak.sentence }}
        </p>
        <div class="two">
          <figure>
            <figcaption class="small muted">
              The visitor “{{ leak.owner.visitor }}” gets from your server ({{ leak.owner.status }})
            </figcaption>
            <pre tabindex="0">{{ leak.owner.excerpt || leak.what }}</pre>
          </figure>
          <figure>
            <figcaption class="small muted">
              The visitor “{{ leak.reached.visitor }}” got from the trial ({{ leak.reached.status }})
            </figcaption>
            <pre tabindex="0">{{ leak.reached.excerpt || leak.what }}</pre>
            <code class="small">{{ leak.reached.cacheStatus }}</code>
          </figure>
        </div>
      </article>
    </template>
  </section>
  <ModalDialog v-model="open" :width="640" label="Privacy check">
    <form class="panel dialog" @submit.prevent="start">
      <h2>Privacy check</h2>
      <p class="muted small">
        Two accounts of your site that belong to different people. They are used once, for about a minute, and not
        saved.
      </p>
      <v-radio-group v-model="how" inline hide-details density="compact" label="How the visitors sign in">
        <v-radio value="form" label="With the sign-in form" />
        <v-radio value="cookie" label="With the cookies of two signed-in browsers" />
      </v-radio-group>
      <template v-if="how === 'form'">
        <div class="three">
          <v-text-field v-model="signInPath" label="Page with the sign-in form" />
          <v-text-field v-model="nameField" label="Name field of the form" />
          <v-text-field v-model="passwordField" label="Password field of the form" />
        </div>
        <div v-for="(person, index) in people" :key="index" class="pair">
          <v-text-field
            v-model="person.name"
            :label="`Name of the ${index === 0 ? 'first' : 'second'} visitor`"
            autocomplete="off"
          />
          <v-text-field v-model="person.password" type="password" label="Password" autocomplete="off" />
        </div>
      </template>
      <template v-else>
        <v-text-field
          v-for="(person, index) in people"
          :key="index"
          v-model="person.cookie"
          :label="`Cookies of the ${index === 0 ? 'first' : 'second'} signed-in browser (paste its Cookie header)`"
          autocomplete="off"
        />
      </template>
      <div class="bar end">
        <v-btn type="button" @click="open = false">Cancel</v-btn>
        <v-btn type="submit" color="primary" variant="flat" :disabled="!complete">Start</v-btn>
      </div>
    </form>
  </ModalDialog>
</template>

<style scoped>
.privacy {
  margin-top: 1rem;
}
.privacy header {
  justify-content: space-between;
  align-items: flex-start;
}
.privacy header > div {
  flex: 1 1 24rem;
}
h2 {
  margin-top: 0;
}
.leak {
  border-top: 1px solid rgba(var(--v-border-color), var(--v-border-opacity));
  padding-top: 0.4rem;
}
.two {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(280px, 1fr));
  gap: 1rem;
}
figure {
  margin: 0;
  min-width: 0;
}
pre {
  overflow-x: auto;
  white-space: pre-wrap;
  max-height: 9rem;
  margin: 0.2rem 0;
  padding: 0.4rem 0.6rem;
  background: rgba(var(--v-theme-on-surface), 0.05);
}
.three {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  gap: 0.6rem;
}
.pair {
  display: grid;
  grid-template-columns: repeat(2, minmax(0, 1fr));
  gap: 0.6rem;
}
@media (max-width: 600px) {
  .three,
  .pair {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
