import { afterEach, expect, test, vi } from 'vitest'
import type { EventTarget, Site } from '../../core/contracts/sites.ts'
import { aSite } from '../testing/a-site.ts'
import { answering } from '../testing/answers.ts'
import { button, field, mounted, press, textOf, type } from '../testing/mounted.ts'
import ChangesNotice from '../store/ChangesNotice.vue'
import ContentChangesPanel from './ContentChangesPanel.vue'

afterEach(() => vi.unstubAllGlobals())

const at = 'http://control.example/api/v1/sites/quay'
const target = (more: Partial<EventTarget> = {}): EventTarget => ({
  url: `${at}/events`,
  keyid: 'quay',
  secret: 's3cret',
  plainUrl: `${at}/content-changes/k1`,
  hmacField: null,
  calls: [],
  ...more,
})
const shown = (now: EventTarget) => {
  const asked = answering({
    'GET /sites/quay/event-target': now,
    'PUT /sites/quay/event-target': target({ hmacField: 'x-signature' }),
    'POST /sites/quay/event-target/key': target({ plainUrl: `${at}/content-changes/k2` }),
  })
  return { asked, host: mounted(ContentChangesPanel, { site: aSite() }) }
}

test('before any call it says what to do', async () => {
  const { host } = shown(target())
  await expect.poll(() => textOf(host)).toContain('None yet. Save something in your content system')
  expect(textOf(host)).toContain('content-changes/k1')
})
test('calls are shown with what they named and removed, or why they changed nothing', async () => {
  const call = { at: '2026-11-29T10:00:00.000Z', how: 'plain' as const }
  const { host } = shown(
    target({
      calls: [
        { ...call, id: '2', paths: [], purged: 0, problem: 'The message contains no address of the site.' },
        { ...call, id: '1', paths: ['/notices/fog'], purged: 3, problem: null },
      ],
    }),
  )
  await expect.poll(() => textOf(host)).toContain('The message contains no address of the site.')
  expect(textOf(host)).toContain('/notices/fog')
})
test('the field for an HMAC is saved, and a new address shown', async () => {
  const { asked, host } = shown(target())
  await expect.poll(() => textOf(host)).toContain('None yet')
  expect(button(host, 'Save').disabled).toBe(true)
  await type(field(host, 'HMAC field (optional)'), 'x-signature')
  host.querySelector('form')!.dispatchEvent(new Event('submit'))
  await expect
    .poll(() => asked.findLast(({ what }) => what.startsWith('PUT'))?.body)
    .toEqual({ hmacField: 'x-signature' })
  await press(host, 'Create a new address')
  await expect.poll(() => textOf(host)).toContain('content-changes/k2')
})

const changes = (more: Partial<Site['changes']> = {}, watching: Partial<Site['changes']['watching']> = {}) => ({
  told: null,
  lifetimes: 'short' as const,
  ...more,
  watching: { enabled: true, works: false, at: null, problem: null, sources: [], ...watching },
})
test.each([
  [{}, { at: '2026-11-29T10:00:00.000Z' }, 'no feed and no sitemap with dates'],
  [{}, {}, 'about to look for feeds'],
  [{}, { at: '2026-11-29T10:00:00.000Z', problem: '/feed answers with status 500.' }, '/feed answers with status 500.'],
  [{}, { enabled: false }, 'switched off'],
])('a notice says that pages are kept for ten minutes, and why: %j %j', (more, watching, why) => {
  answering({})
  const host = mounted(ChangesNotice, { site: aSite({ changes: changes(more, watching) }) })
  expect(textOf(host)).toContain('Pages are stored for at most 10 minutes')
  expect(textOf(host)).toContain(why)
})
test.each([{ told: 'calls' as const }, { told: 'watching' as const }, { lifetimes: 'as-set' as const }])(
  'there is none with %j',
  (more) => {
    answering({})
    expect(textOf(mounted(ChangesNotice, { site: aSite({ changes: changes(more) }) }))).toBe('')
  },
)
test('the owner may keep pages as long as they set anyway', async () => {
  const asked = answering({ 'PUT /sites/quay/watch': aSite(), 'GET /sites': [aSite()] })
  await press(mounted(ChangesNotice, { site: aSite({ changes: changes() }) }), 'Use my lifetimes anyway')
  await expect.poll(() => asked.find(({ what }) => what.startsWith('PUT'))?.body).toEqual({ lifetimes: 'as-set' })
})
