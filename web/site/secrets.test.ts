import { nextTick } from 'vue'
import { afterEach, describe, expect, test, vi } from 'vitest'
import type { PrivacyCheck } from '../../core/contracts/privacy.ts'
import { useSite } from '../stores/site.ts'
import { aSite } from '../testing/a-site.ts'
import { answering, refusal } from '../testing/answers.ts'
import { button, field, mounted, press, textOf, textsOf, type } from '../testing/mounted.ts'
import CertificatePanel from './CertificatePanel.vue'
import PrivacyPanel from '../remedies/PrivacyPanel.vue'

/** What is secret is sent once, and kept nowhere on the screen. */

afterEach(() => vi.unstubAllGlobals())
const opened = async (host: Element, name: string): Promise<Element> => {
  await press(host, name)
  await expect.poll(() => document.querySelector('.dialog')).not.toBeNull()
  return document.querySelector('.dialog')!
}
const job = {
  id: 'j',
  siteId: 'quay',
  kind: 'privacy-check',
  title: 'Privacy check',
  subjectId: 'p',
  state: 'queued',
  done: 0,
  total: 1,
  now: '',
  msLeft: null,
  error: null,
  createdAt: '2026-11-26T08:00:00.000Z',
  finishedAt: null,
}

describe('the privacy check', () => {
  const shown = (latest: Partial<PrivacyCheck> | null = null, answer: unknown = job) => {
    const asked = answering({ 'POST /sites/quay/privacy/checks': answer })
    const host = mounted(PrivacyPanel, { state: { needed: ['Stories'], latest }, disabled: false })
    useSite().siteId = 'quay'
    return { asked, host }
  }
  const fill = async (dialog: Element) => {
    await type(field(dialog, 'Name of the first visitor'), 'rider')
    await type(field(dialog, 'Name of the second visitor'), 'second')
    for (const one of dialog.querySelectorAll<HTMLInputElement>('input[type=password]')) await type(one, 'season')
  }
  test('needs both visitors, and sends them by the fields of the site’s form', async () => {
    const { asked, host } = shown()
    const dialog = await opened(host, 'Run the privacy check')
    expect(button(dialog, 'Start').disabled).toBe(true)
    await fill(dialog)
    await type(field(dialog, 'Name field of the form'), 'log')
    dialog.dispatchEvent(new Event('submit'))
    await expect
      .poll(() => asked[0]?.body)
      .toEqual({
        signInPath: '/sign-in',
        visitors: ['rider', 'second'].map((log) => ({ kind: 'form', fields: { log, password: 'season' } })),
      })
  })
  test('takes cookies of two browsers instead', async () => {
    const { asked, host } = shown()
    const dialog = await opened(host, 'Run the privacy check')
    field(dialog, 'With the cookies of two signed-in browsers').click()
    await nextTick()
    await type(field(dialog, 'Cookies of the first signed-in browser (paste its Cookie header)'), ' sid=a ')
    await type(field(dialog, 'Cookies of the second signed-in browser (paste its Cookie header)'), 'sid=b')
    dialog.dispatchEvent(new Event('submit'))
    await expect
      .poll(() => asked[0]?.body)
      .toMatchObject({
        visitors: [
          { kind: 'cookie', cookie: 'sid=a' },
          { kind: 'cookie', cookie: 'sid=b' },
        ],
      })
  })
  test('that is not run after all forgets what was typed', async () => {
    const { host } = shown()
    const dialog = await opened(host, 'Run the privacy check')
    await fill(dialog)
    await press(dialog, 'Cancel')
    const again = await opened(host, 'Run the privacy check')
    expect([...again.querySelectorAll<HTMLInputElement>('input[type=password]')].map(({ value }) => value)).toEqual([
      '',
      '',
    ])
  })
  test('that is refused keeps it, so that one field may be fixed', async () => {
    const { asked, host } = shown(null, refusal('There is no form on /sign-in.'))
    const dialog = await opened(host, 'Run the privacy check')
    await fill(dialog)
    dialog.dispatchEvent(new Event('submit'))
    await expect.poll(() => asked).toHaveLength(1)
    expect(field(dialog, 'Name of the first visitor').value).toBe('rider')
  })
  test.each([
    [null, 'It has not been run yet.'],
    [
      { state: 'passed', current: true, pages: 8, stored: 12 },
      'nothing of one visitor reached another, and everyone saw their own pages, on 8 pages, with 12 responses from the store.',
    ],
    [{ state: 'passed', current: false }, 'with other settings. Run it again for these.'],
    [{ state: 'failed' }, 'did not finish.'],
    [
      { state: 'leaks', current: true, leaks: [{}] },
      '1 thing of one visitor reached another. This cannot be published.',
    ],
  ] as const)('%j is told: %s', (latest, words) => {
    const leak = {
      path: '/',
      kind: 'secret',
      sentence: '',
      what: 'x',
      owner: { visitor: 'a', status: 200, excerpt: 'own', cacheStatus: '' },
      reached: { visitor: 'b', status: 200, excerpt: 'seen', cacheStatus: 'hit' },
    } as const
    const leaks = latest !== null && 'leaks' in latest ? [leak] : []
    const { host } = shown(
      latest === null ? null : ({ at: '2026-11-26T08:00:00.000Z', pages: 1, stored: 1, ...latest, leaks } as never),
    )
    expect(textOf(host)).toContain(words)
    expect(textsOf(host, 'pre')).toEqual(leaks.length === 0 ? [] : ['own', 'seen'])
  })
})

describe('a certificate', () => {
  const areas = (dialog: Element) => [...dialog.querySelectorAll<HTMLTextAreaElement>('textarea:not([aria-hidden])')]
  const write = async (dialog: Element) => {
    for (const area of areas(dialog)) {
      area.value = 'PEM'
      area.dispatchEvent(new Event('input'))
    }
    await nextTick()
  }
  test('is sent with its key; the key is gone from the screen afterwards', async () => {
    const asked = answering({ 'PUT /sites/quay/certificate': aSite(), 'GET /sites': [aSite()] })
    const host = mounted(CertificatePanel, { site: aSite() })
    const dialog = await opened(host, 'Use your own certificate …')
    expect(button(dialog, 'Use this certificate').disabled).toBe(true)
    await write(dialog)
    dialog.dispatchEvent(new Event('submit'))
    await expect.poll(() => asked[0]?.body).toEqual({ certificate: 'PEM', key: 'PEM' })
    await expect.poll(() => document.querySelector('.dialog')).toBeNull()
    expect(areas(await opened(host, 'Use your own certificate …')).at(-1)!.value).toBe('')
  })
  test('that is not used after all leaves no key behind', async () => {
    const host = mounted(CertificatePanel, { site: aSite() })
    const dialog = await opened(host, 'Use your own certificate …')
    await write(dialog)
    await press(dialog, 'Cancel')
    expect(areas(await opened(host, 'Use your own certificate …')).at(-1)!.value).toBe('')
  })
  test('of the owner’s can be replaced or given up; one made here can only be replaced', () => {
    const own = aSite({ certificate: { names: ['quay.example'], validUntil: '2027-01-01T00:00:00.000Z' } })
    expect(textsOf(mounted(CertificatePanel, { site: own }), 'button')).toEqual([
      'Use another certificate …',
      'Use one created here',
    ])
    expect(textsOf(mounted(CertificatePanel, { site: aSite() }), 'button')).toEqual(['Use your own certificate …'])
  })
})
