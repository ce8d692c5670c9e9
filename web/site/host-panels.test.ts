import { afterEach, describe, expect, test, vi } from 'vitest'
import type { Readiness } from '../../core/contracts/delivery.ts'
import { aSite } from '../testing/a-site.ts'
import { answering } from '../testing/answers.ts'
import { field, mounted, press, textOf, type } from '../testing/mounted.ts'
import HostCachePanel from './HostCachePanel.vue'
import ReadinessNote from '../store/ReadinessNote.vue'
import ScheduledWorkPanel from './ScheduledWorkPanel.vue'

afterEach(() => vi.unstubAllGlobals())

const bodyOf = (asked: { what: string; body: unknown }[], what: string) =>
  asked.findLast((one) => one.what === what)?.body
const finding = (code: string, sentence: string, evidence: string[]) => ({
  code,
  level: 'note' as const,
  sentence,
  evidence,
})
const withFinding = (...found: Parameters<typeof finding>) =>
  aSite({ check: { ...aSite().check, findings: [finding(...found)] } })

test('a cache at the host: what was found, and the request that purges it', async () => {
  const asked = answering({ 'PUT /sites/quay/host-cache': aSite(), 'GET /sites': [] })
  const host = mounted(HostCachePanel, { site: withFinding('accelerator', 'Another cache (front) is at work.', []) })
  expect(textOf(host)).toContain('Another cache (front) is at work.')
  await type(field(host, 'Address of the request'), '/purge{path}')
  host.querySelector('textarea')!.value = 'x-key: a:b'
  host.querySelector('textarea')!.dispatchEvent(new Event('input'))
  await press(host, 'Save and try now')
  await expect
    .poll(() => bodyOf(asked, 'PUT /sites/quay/host-cache'))
    .toEqual({
      hostCache: {
        method: 'PURGE',
        address: '/purge{path}',
        everything: '/*',
        fields: [{ name: 'x-key', value: 'a:b' }],
      },
    })
})
test('scheduled work: the address that pages call is proposed', async () => {
  const asked = answering({ 'PUT /sites/quay/scheduled-work': aSite(), 'GET /sites': [] })
  const host = mounted(ScheduledWorkPanel, { site: withFinding('scheduled-work', 'x', ['/cron/run']) })
  expect(field(host, 'Address to call').value).toBe('/cron/run')
  await press(host, 'Call it')
  await expect
    .poll(() => bodyOf(asked, 'PUT /sites/quay/scheduled-work'))
    .toEqual({ scheduledWork: { path: '/cron/run', everyMinutes: 5 } })
})

describe('what is ready of a site', () => {
  const noteFor = async (state: Readiness, always = true) => {
    const asked = answering({ 'GET /sites/quay/readiness': state })
    const host = mounted(ReadinessNote, { site: aSite(), always })
    await expect.poll(() => asked.length).toBeGreaterThan(0)
    return host
  }
  test('pages of the setup before, and pictures, are counted, with progress', async () => {
    const host = await noteFor({ waiting: 9, pages: 1, pictures: 7, picturesMade: 30 })
    await expect
      .poll(() => textOf(host))
      .toBe(
        '30 pictures converted. 1 page made with the previous setup is being updated; until then visitors get the old one. 2 pages still being rewritten. 7 pictures still to be converted; until then visitors get a quick version or the original.',
      )
    expect(host.querySelector('[role=progressbar]')).not.toBeNull()
  })
  test('when nothing waits, it is said only where it is always shown', async () => {
    const done = { waiting: 0, pages: 0, pictures: 0, picturesMade: 30 }
    const host = await noteFor(done)
    await expect.poll(() => textOf(host)).toBe('30 pictures converted; nothing is waiting.')
    expect(textOf(await noteFor(done, false))).toBe('')
  })
})
