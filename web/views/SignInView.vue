<script setup lang="ts">
import ActionButton from '../ui/ActionButton.vue'
import { ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import ProblemNote from '../ui/ProblemNote.vue'
import { vFirstFocus } from '../ui/first-focus.ts'
import SecondsRuler from '../ruler/SecondsRuler.vue'
import { rulerScale } from '../ruler/scale.ts'
import { useProblems } from '../stores/problems.ts'
import { useSession } from '../stores/session.ts'

const session = useSession()
const problems = useProblems()
const router = useRouter()
const route = useRoute()
const name = ref('')
const password = ref('')
const busy = ref(false)

/** Only a place within the interface: an address from outside must not send anybody elsewhere. */
const target = (): string => {
  const to = route.query['to']
  return typeof to === 'string' && /^\/(?!\/)/.test(to) ? to : '/'
}
const submit = async (): Promise<void> => {
  busy.value = true
  const entered = await problems.catching(async () => {
    await session.enter({ name: name.value, password: password.value })
    return true
  })
  busy.value = false
  if (entered === true) await router.push(target())
}
</script>

<template>
  <main class="sign-in">
    <div class="column">
      <p class="brand"><img src="/lamp.svg" alt="" width="34" height="34" /> Zest Lamp</p>
      <h1>{{ session.firstAccount ? 'Create the first account' : 'Sign in' }}</h1>
      <p v-if="session.firstAccount" class="muted">This account manages the sites of this Zest Lamp.</p>
      <form @submit.prevent="submit">
        <v-text-field v-model="name" v-first-focus label="Name or e-mail address" autocomplete="username" required />
        <v-text-field
          v-model="password"
          label="Password"
          type="password"
          :autocomplete="session.firstAccount ? 'new-password' : 'current-password'"
          :hint="session.firstAccount ? 'At least 8 characters.' : ''"
          required
        />
        <ActionButton type="submit" color="primary" variant="flat" :under-way="busy">
          {{ session.firstAccount ? 'Create account' : 'Sign in' }}
        </ActionButton>
      </form>
      <ProblemNote class="note" />
      <p v-if="session.notice" class="panel notice">{{ session.notice }}</p>
      <div class="motif" aria-hidden="true">
        <SecondsRuler
          :scale="rulerScale([])"
          about="A ruler of seconds"
          compact
          :floor-ms="600"
          :origin="4100"
          :live="1500"
          :trial="900"
        />
      </div>
      <p class="muted small">Makes your website fast, and measures how many seconds each change saves a visitor.</p>
    </div>
  </main>
</template>

<style scoped>
.sign-in {
  min-height: 100dvh;
  display: grid;
  align-items: center;
  justify-items: center;
  padding: 2rem 1.2rem;
}
.column {
  width: min(420px, 100%);
}
.brand {
  display: flex;
  align-items: center;
  gap: 0.7rem;
  font-weight: 700;
  font-size: 1.2rem;
  margin-bottom: 2rem;
}
form {
  display: grid;
  gap: 0.9rem;
  margin: 1rem 0;
  justify-items: start;
}
form > :deep(.v-input) {
  width: 100%;
}
.notice {
  margin-top: 1rem;
}
.note {
  margin: 0;
}
.motif {
  margin: 2.2rem 0 0.7rem;
}
</style>
