<script setup lang="ts">
import { onMounted, ref, shallowRef } from 'vue'
import { z } from 'zod'
import { Account, ApiToken, MadeApiToken } from '../../core/contracts/accounts.ts'
import { callApi } from '../api/client.ts'
import { useProblems } from '../stores/problems.ts'
import { useSession } from '../stores/session.ts'
import { when } from '../format/show.ts'

const session = useSession()
const problems = useProblems()
const tokens = shallowRef<readonly ApiToken[]>([])
const made = shallowRef<MadeApiToken | null>(null)
const tokenName = ref('')
const name = ref('')
const password = ref('')
const added = ref('')

const load = async (): Promise<void> => {
  tokens.value = (await problems.catching(() => callApi('GET', '/tokens', z.array(ApiToken)))) ?? []
}
onMounted(load)
const make = async (): Promise<void> => {
  const token = await problems.catching(() => callApi('POST', '/tokens', MadeApiToken, { name: tokenName.value }))
  if (token === undefined) return
  made.value = token
  tokenName.value = ''
  await load()
}
const remove = async (id: string): Promise<void> => {
  await problems.catching(() => callApi('DELETE', `/tokens/${id}`))
  await load()
}
const add = async (): Promise<void> => {
  const account = await problems.catching(() =>
    callApi('POST', '/accounts', Account, { name: name.value, password: password.value }),
  )
  if (account === undefined) return
  added.value = `${account.name} can sign in now.`
  name.value = ''
  password.value = ''
}
</script>

<template>
  <div class="view">
    <h1>Account</h1>
    <p>Signed in as {{ session.account?.name }}.</p>
    <h2>API tokens</h2>
    <p class="muted">
      For the <code>zest</code> command and other programs: <code>Authorization: Bearer …</code>. The API is described
      at <a href="/api/v1/openapi.json">/api/v1/openapi.json</a>.
    </p>
    <form class="bar" @submit.prevent="make">
      <v-text-field v-model="tokenName" label="What the token is for" class="field" required />
      <v-btn type="submit" :disabled="tokenName.trim() === ''">Create token</v-btn>
    </form>
    <p v-if="made" class="panel" role="status">
      Copy it now; it will not be shown again: <code>{{ made.token }}</code>
    </p>
    <div v-if="tokens.length > 0" class="scroll">
      <table class="figures">
        <thead>
          <tr>
            <th scope="col">Token</th>
            <th scope="col">Created</th>
            <th scope="col">Last used</th>
            <th scope="col">Delete</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="token in tokens" :key="token.id">
            <th scope="row">{{ token.name }}</th>
            <td>{{ when(token.createdAt) }}</td>
            <td>{{ token.lastUsedAt ? when(token.lastUsedAt) : 'never' }}</td>
            <td>
              <v-btn size="small" @click="remove(token.id)" :aria-label="`Delete ${token.name}`">Delete</v-btn>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <h2>Add an account</h2>
    <form class="bar" @submit.prevent="add">
      <v-text-field v-model="name" label="Name or e-mail address" autocomplete="off" class="field" required />
      <v-text-field
        v-model="password"
        label="Password"
        type="password"
        autocomplete="new-password"
        class="field"
        required
      />
      <v-btn type="submit" :disabled="name.trim() === '' || password === ''">Create account</v-btn>
      <span role="status">{{ added }}</span>
    </form>
  </div>
</template>

<style scoped>
.view {
  padding: 1.2rem 1.4rem;
  max-width: 900px;
}
.field {
  max-width: 320px;
}
.panel {
  margin: 0.8rem 0;
}
.scroll {
  margin-top: 0.8rem;
}
</style>
