import { nextTick } from 'vue'
import { afterEach, describe, expect, test, vi } from 'vitest'
import type { SiteCheck } from '../../core/contracts/sites.ts'
import { useProblems } from '../stores/problems.ts'
import { useSession } from '../stores/session.ts'
import { aSite } from '../testing/a-site.ts'
import { answering, refusal, whatOf } from '../testing/answers.ts'
import { button, field, mounted, press, textOf, type } from '../testing/mounted.ts'
import ConnectView from './ConnectView.vue'
import SignInView from './SignInView.vue'

afterEach(() => vi.unstubAllGlobals())
const submit = async (host: Element, which = 'form'): Promise<void> => {
  host.querySelector(which)!.dispatchEvent(new Event('submit'))
  await nextTick()
}

describe('signing in', () => {
  const shown = async (firstAccount = false): Promise<HTMLElement> => {
    const host = mounted(SignInView)
    Object.assign(useSession(), { firstAccount, notice: 'A demo.' })
    await nextTick()
    await type(field(host, 'Name or e-mail address'), 'keeper')
    await type(field(host, 'Password'), 'nine quays')
    return host
  }
  test('begins in the name, before anybody can have gone on to the password', () => {
    const host = mounted(SignInView)
    expect(document.activeElement).toBe(field(host, 'Name or e-mail address'))
  })
  test('sends what was typed, and shows what the operator wants to be read', async () => {
    const asked = answering({ 'POST /session': { id: '1', name: 'keeper' } })
    const host = await shown()
    expect(textOf(host)).toContain('A demo.')
    await submit(host)
    await expect
      .poll(() => asked)
      .toEqual([{ what: 'POST /session', body: { name: 'keeper', password: 'nine quays' } }])
  })
  test('with a wrong password says so and stays, with what was typed', async () => {
    answering({ 'POST /session': refusal('Name or password is wrong.', 401, 'WRONG_CREDENTIALS') })
    const host = await shown()
    await submit(host)
    await expect.poll(() => textOf(host)).toContain('Name or password is wrong.')
    expect(field(host, 'Name or e-mail address').value).toBe('keeper')
  })
  test('makes the first account while there is none, and asks for a password that lasts', async () => {
    const asked = answering({ 'POST /first-account': { id: '1', name: 'keeper' } })
    const host = await shown(true)
    expect(textOf(host.querySelector('h1'))).toBe('Create the first account')
    expect(field(host, 'Password').autocomplete).toBe('new-password')
    await submit(host)
    await expect.poll(() => whatOf(asked)).toEqual(['POST /first-account'])
  })
})

describe('connecting a site', () => {
  const finding = (code: string, level: 'good' | 'note' | 'stop') => ({
    code,
    level,
    sentence: `found ${code}`,
    evidence: [],
  })
  const check = (more: Partial<SiteCheck> = {}): SiteCheck => ({
    address: 'http://quay.example',
    publicAddress: null,
    sitemap: null,
    name: 'Quay',
    suggestedHosts: { live: 'www.quay.example', trial: 'trial.quay.example' },
    findings: [finding('answers', 'good')],
    kinds: [],
    sample: [
      { path: '/', kind: 'Home' },
      { path: '/shop', kind: 'Shop' },
    ],
    ...more,
  })
  const looked = async (found: unknown) => {
    const asked = answering({ 'POST /site-checks': found, 'POST /sites': aSite(), 'GET /sites': [aSite()] })
    const host = mounted(ConnectView)
    await type(field(host, 'Address of your web server (origin)'), 'quay.example')
    await submit(host)
    return { asked, host }
  }
  const bodyOf = (asked: { what: string; body: unknown }[], what: string) =>
    asked.findLast((one) => one.what === what)?.body

  test('offers what was found, and connects with what was left chosen', async () => {
    const { asked, host } = await looked(check())
    await expect.poll(() => textOf(host)).toContain('Sample pages')
    host.querySelector<HTMLInputElement>('input[aria-label="Use /shop"]')?.click()
    await nextTick()
    await submit(host, 'form:not(.address)')
    await expect
      .poll(() => bodyOf(asked, 'POST /sites'))
      .toMatchObject({
        name: 'Quay',
        liveHost: 'www.quay.example',
        trialHost: 'trial.quay.example',
        hostHeader: 'visitor',
        privateAddresses: 'refused',
      })
  })
  test('a server that answers by its public name only is connected by it, without a question', async () => {
    const { asked, host } = await looked(check({ publicAddress: 'https://www.quay.example' }))
    await expect.poll(() => textOf(host)).toContain('It answers only to this name')
    await submit(host, 'form:not(.address)')
    await expect
      .poll(() => bodyOf(asked, 'POST /sites'))
      .toMatchObject({ hostHeader: 'public', publicAddress: 'https://www.quay.example' })
  })
  test('whoever is sent elsewhere can say what visitors type', async () => {
    const { asked, host } = await looked(check({ findings: [finding('redirects', 'stop')] }))
    await expect.poll(() => textOf(host)).toContain('found redirects')
    await type(field(host, 'Public address of the site'), 'https://www.quay.example')
    await submit(host, 'form.address:last-of-type')
    await expect
      .poll(() => bodyOf(asked, 'POST /site-checks'))
      .toMatchObject({ address: 'quay.example', publicAddress: 'https://www.quay.example' })
  })
  test('is not offered when something stands against it', async () => {
    const { host } = await looked(check({ findings: [finding('loop', 'stop')] }))
    await expect.poll(() => textOf(host)).toContain('found loop')
    expect(textOf(host)).not.toContain('Sample pages')
  })
  test('looks at a private address only after an explicit yes, which is then kept with the site', async () => {
    const { asked, host } = await looked((sent: { privateAddresses: string }) =>
      check(sent.privateAddresses === 'refused' ? { findings: [finding('private-address', 'stop')] } : {}),
    )
    await expect.poll(() => textOf(host)).toContain('It is mine: check it anyway')
    expect(bodyOf(asked, 'POST /site-checks')).toMatchObject({ privateAddresses: 'refused' })
    await press(host, 'It is mine: check it anyway')
    await expect.poll(() => textOf(host)).toContain('Sample pages')
    await submit(host, 'form:not(.address)')
    await expect.poll(() => bodyOf(asked, 'POST /sites')).toMatchObject({ privateAddresses: 'allowed' })
  })
  test('can be given up while the look goes on; its late answer shows nothing', async () => {
    let late: (answer: unknown) => void = () => undefined
    const { host } = await looked(() => new Promise((resolve) => (late = resolve)))
    await press(host, 'Stop')
    expect(button(host, 'Check the site').disabled).toBe(false)
    late(check())
    await nextTick()
    expect(textOf(host)).not.toContain('says about itself')
  })
  test('of an address that does not answer says why', async () => {
    await looked(refusal('quay.example does not answer.'))
    await expect.poll(() => useProblems().current?.detail).toBe('quay.example does not answer.')
  })
})
