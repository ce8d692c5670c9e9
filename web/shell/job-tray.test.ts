import { nextTick } from 'vue'
import { afterEach, describe, expect, test, vi } from 'vitest'
import type { Job } from '../../core/contracts/jobs.ts'
import { useJobs } from '../stores/jobs.ts'
import { mounted, press, textOf } from '../testing/mounted.ts'
import JobTray from './JobTray.vue'

const job = (more: Partial<Job> = {}): Job => ({
  id: 'a',
  siteId: 'quay',
  kind: 'measure',
  title: 'Measuring',
  subjectId: 'm',
  state: 'running',
  done: 3,
  total: 12,
  now: 'Home page, run 3 of 12',
  msLeft: 42_000,
  skip: null,
  error: null,
  createdAt: '2026-11-26T08:00:00.000Z',
  finishedAt: null,
  ...more,
})
const tray = async (...all: Job[]): Promise<HTMLElement> => {
  const host = mounted(JobTray)
  all.forEach((one) => useJobs().take(one))
  await nextTick()
  return host
}
afterEach(() => vi.unstubAllGlobals())

describe('work under way', () => {
  test('shows what it does, how far it is, and the time left', async () => {
    const text = textOf(await tray(job()))
    for (const part of ['Measuring', '3 of 12', 'Home page, run 3 of 12', 'about 42 s left'])
      expect(text).toContain(part)
  })
  test('tells a listener how far it is', async () => {
    const bar = (await tray(job())).querySelector('[role=progressbar]')!
    expect([bar.getAttribute('aria-label'), bar.getAttribute('aria-valuenow')]).toEqual([
      'Measuring: 3 of 12 steps',
      '25',
    ])
  })
  test('that waits for something offers to skip it', async () => {
    const asked: string[] = []
    vi.stubGlobal('fetch', (path: string) => (asked.push(path), Promise.resolve(Response.json(job()))))
    const host = await tray(job({ skip: 'Measure what is ready' }))
    press(host, 'Measure what is ready')
    await expect.poll(() => textOf(host)).not.toContain('Measure what is ready')
    expect(asked).toEqual(['/api/v1/jobs/a/skip'])
  })
  test('that waits says so, and can be cancelled', async () => {
    const asked: string[] = []
    vi.stubGlobal('fetch', (path: string) => {
      asked.push(path)
      return Promise.resolve(Response.json(job({ state: 'cancelled', finishedAt: '2026-11-26T09:00:00.000Z' })))
    })
    const host = await tray(job({ state: 'queued' }))
    expect(textOf(host)).toContain('waiting')
    await press(host, 'Cancel')
    await expect.poll(() => textOf(host)).toMatch(/cancelled/)
    expect(asked).toEqual(['/api/v1/jobs/a/cancel'])
  })
  test('hides what ended before it', async () => {
    const text = textOf(
      await tray(job(), job({ id: 'b', title: 'Earlier', state: 'done', createdAt: '2026-11-26T07:00:00.000Z' })),
    )
    expect(text).not.toContain('Earlier')
  })
})

describe('when nothing is under way', () => {
  test('what failed last says why', async () => {
    expect(textOf(await tray(job({ state: 'failed', error: 'The origin does not answer.' })))).toContain(
      'The origin does not answer.',
    )
  })
  test('and nothing ever was, there is no tray', async () => {
    expect((await tray()).querySelector('footer')).toBeNull()
  })
})
