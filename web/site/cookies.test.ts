import { nextTick } from 'vue'
import { afterEach, describe, expect, test, vi } from 'vitest'
import type { CookieFinding } from '../../core/contracts/cookies.ts'
import type { Job } from '../../core/contracts/jobs.ts'
import { emptySetup, type Setup } from '../../core/contracts/setup.ts'
import { useSite } from '../stores/site.ts'
import { useJobs } from '../stores/jobs.ts'
import { aSite } from '../testing/a-site.ts'
import { answering, refusal, whatOf } from '../testing/answers.ts'
import { field, mounted, press, textOf, textsOf, type } from '../testing/mounted.ts'
import CookiePanel from './CookiePanel.vue'

afterEach(() => vi.unstubAllGlobals())
const found = (name: string, effect: CookieFinding['effect'], treated: CookieFinding['treated']): CookieFinding => ({
  name,
  effect,
  sentence: `does ${effect}`,
  treated,
  paths: [],
})
const job = (state: Job['state']): Job =>
  ({
    id: 's',
    siteId: 'quay',
    kind: 'cookie-search',
    title: 'Cookies',
    subjectId: 'c',
    state,
    done: 1,
    total: 1,
    now: '',
    msLeft: null,
    error: null,
    createdAt: '2026-11-26T08:00:00.000Z',
    finishedAt: null,
  }) as Job
const trial = { setup: emptySetup(), revision: 1, changes: [], basedOn: 1, openEntryId: null }
const shown = async (findings: CookieFinding[], more: Record<string, unknown> = {}) => {
  const asked = answering({
    'GET /sites/quay/cookies': { findings },
    'PUT /sites/quay/trial': trial,
    'GET /sites/quay/privacy': { needed: [], latest: null },
    'POST /sites/quay/cookies/searches': job('queued'),
    ...more,
  })
  const host = mounted(CookiePanel, { site: aSite() })
  Object.assign(useSite(), { siteId: 'quay', trial })
  await expect.poll(() => whatOf(asked)).toContain('GET /sites/quay/cookies')
  await nextTick()
  return { asked, host }
}

describe('a cookie', () => {
  test.each([
    ['none', 'unknown', ['Treat as harmless']],
    ['none', 'harmless', []],
    ['personal', 'harmless', ['Treat as personal']],
    ['personal', 'unknown', []],
    ['unsteady', 'harmless', ['Treat as personal']],
    ['changes', 'visitor', []],
  ] as const)('that does %s and is treated as %s is offered %j', async (effect, treated, offers) => {
    const { host } = await shown([found('seen', effect, treated)])
    await expect.poll(() => textsOf(host, 'tbody th')).toEqual(['seen'])
    expect(textsOf(host, 'tbody button')).toEqual(offers)
  })
  test('called harmless is so in the trial only, and is then shown so', async () => {
    const { asked, host } = await shown([found('seen', 'none', 'unknown')])
    await expect.poll(() => textsOf(host, 'tbody button')).toEqual(['Treat as harmless'])
    await press(host, 'Treat as harmless')
    await expect.poll(() => textsOf(host, 'tbody td')[1]).toBe('as harmless')
    const { setup } = asked.find(({ what }) => what === 'PUT /sites/quay/trial')!.body as { setup: Setup }
    expect(setup.remedies.pageCache.harmlessCookies).toContain('seen')
  })
  test('stays as it was when the trial cannot be changed', async () => {
    const { host } = await shown([found('seen', 'none', 'unknown')], {
      'PUT /sites/quay/trial': refusal('A check is under way.'),
    })
    await expect.poll(() => textsOf(host, 'tbody button')).toEqual(['Treat as harmless'])
    await press(host, 'Treat as harmless')
    await nextTick()
    expect(textsOf(host, 'tbody td')[1]).toBe('as personal, because nothing is known about it')
  })
})

describe('trying cookies', () => {
  test('sends what was typed once, and does not keep it in the field', async () => {
    const { asked, host } = await shown([])
    const cookies = field(host, 'Cookies of a signed-in browser (paste its Cookie header), optional')
    await type(cookies, ' sid=secret ')
    host.querySelector('form')!.dispatchEvent(new Event('submit'))
    await expect.poll(() => cookies.value).toBe('')
    expect(asked.find(({ what }) => what.startsWith('POST'))?.body).toEqual({ cookie: 'sid=secret' })
  })
  test('shows what was found once the search has ended', async () => {
    let findings: CookieFinding[] = []
    const { host } = await shown([], { 'GET /sites/quay/cookies': () => ({ findings }) })
    expect(textOf(host)).toContain('Nothing has been tried yet')
    useJobs().take(job('running'))
    await nextTick()
    findings = [found('seen', 'none', 'unknown')]
    useJobs().take(job('done'))
    await expect.poll(() => textsOf(host, 'tbody th')).toEqual(['seen'])
  })
})
