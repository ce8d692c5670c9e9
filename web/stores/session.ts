import { defineStore } from 'pinia'
import { ref } from 'vue'
import { Account, Welcome, type NewAccount } from '../../core/contracts/accounts.ts'
import { callApi } from '../api/client.ts'

/** Who is signed in. */
export const useSession = defineStore('session', () => {
  const account = ref<Account | null>(null)
  const firstAccount = ref(false)
  const notice = ref('')
  const known = ref(false)

  const load = async (): Promise<void> => {
    const welcome = await callApi('GET', '/welcome', Welcome)
    account.value = welcome.account
    firstAccount.value = welcome.firstAccount
    notice.value = welcome.notice
    known.value = true
  }

  const enter = async (credentials: NewAccount): Promise<void> => {
    account.value = await callApi('POST', firstAccount.value ? '/first-account' : '/session', Account, credentials)
    firstAccount.value = false
  }

  const leave = async (): Promise<void> => {
    await callApi('DELETE', '/session')
    account.value = null
  }

  const forget = (): void => {
    account.value = null
  }
  return { account, firstAccount, notice, known, load, enter, leave, forget }
})
