import { createPinia, setActivePinia } from 'pinia'
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import { callApi } from '../api/client.ts'
import { answering, refusal, whatOf } from '../testing/answers.ts'
import { aSite } from '../testing/a-site.ts'
import { useProblems } from './problems.ts'
import { useSaving } from './saving.ts'
import { useSession } from './session.ts'
import { useSites } from './sites.ts'

const account = { id: '1', name: 'keeper' }
const credentials = { name: 'keeper', password: 'nine quays' }
beforeEach(() => setActivePinia(createPinia()))
afterEach(() => vi.unstubAllGlobals())

describe('who is signed in', () => {
  test('is asked for once, with what the operator wants to be read', async () => {
    answering({ 'GET /welcome': { account, firstAccount: false, notice: 'A demo.' } })
    const session = useSession()
    expect(session.known).toBe(false)
    await session.load()
    expect([session.account?.name, session.notice, session.known]).toEqual(['keeper', 'A demo.', true])
  })
  test('while there is no account, entering makes the first one; from then on it signs in', async () => {
    const asked = answering({
      'GET /welcome': { account: null, firstAccount: true, notice: '' },
      'POST /first-account': account,
      'POST /session': account,
      'DELETE /session': undefined,
    })
    const session = useSession()
    await session.load()
    await session.enter(credentials)
    await session.leave()
    expect(session.account).toBeNull()
    await session.enter(credentials)
    expect(whatOf(asked)).toEqual(['GET /welcome', 'POST /first-account', 'DELETE /session', 'POST /session'])
  })
  test('is nobody after a wrong password', async () => {
    answering({ 'POST /session': refusal('Name or password is wrong.', 401, 'WRONG_CREDENTIALS') })
    const session = useSession()
    await expect(session.enter(credentials)).rejects.toThrow('Name or password is wrong.')
    expect(session.account).toBeNull()
  })
})

describe('saving something of a site', () => {
  test('loads the sites again, so that every view stands on what was kept', async () => {
    answering({ 'GET /sites': [aSite({ name: 'New name' })] })
    const { saving, save } = useSaving(() => Promise.resolve())
    const done = save()
    expect(saving.value).toBe(true)
    await done
    expect([saving.value, useSites().find('quay')?.name]).toEqual([false, 'New name'])
  })
  test('that is refused shows why, loads nothing, and can be tried again', async () => {
    const asked = answering({ 'PUT /x': refusal('Keep at least one page.') })
    const { saving, save } = useSaving(() => callApi('PUT', '/x'))
    await save()
    expect([saving.value, whatOf(asked), useProblems().current?.detail]).toEqual([
      false,
      ['PUT /x'],
      'Keep at least one page.',
    ])
  })
  test('that went wrong here ends too', async () => {
    const { saving, save } = useSaving(() => Promise.reject(new Error('a fault')))
    await expect(save()).rejects.toThrow('a fault')
    expect([saving.value, useProblems().current?.code]).toEqual([false, 'UNEXPECTED'])
  })
})

describe('connected sites', () => {
  test('are loaded again after one was connected or removed', async () => {
    const asked = answering({ 'GET /sites': [aSite()], 'POST /sites': aSite(), 'DELETE /sites/quay': undefined })
    const sites = useSites()
    await sites.connect({ address: 'http://quay.example', name: 'Quay', liveHost: 'a.example', trialHost: 'b.example' })
    await sites.remove('quay')
    expect(whatOf(asked)).toEqual(['POST /sites', 'GET /sites', 'DELETE /sites/quay', 'GET /sites'])
  })
})
