import { afterEach, expect, test, vi } from 'vitest'
import type { ServerPages } from '../../core/contracts/server-pages.ts'
import { aSite } from '../testing/a-site.ts'
import { answering, whatOf, type Asked } from '../testing/answers.ts'
import { mounted, press, textOf } from '../testing/mounted.ts'
import StoredPages from './StoredPages.vue'

afterEach(() => vi.unstubAllGlobals())
const path = '/sites/quay/server-pages'
const PAGES: ServerPages = {
  settings: { everyMinutes: 60, most: 200 },
  files: 0,
  bytes: 0,
  goodUntil: null,
  last: null,
}
const WRITTEN: ServerPages = {
  ...PAGES,
  ...{ files: 2, bytes: 24_000, goodUntil: '2026-12-03' },
  last: {
    ...{ at: '2026-12-02T10:00:00.000Z', what: 'write', written: 1, unchanged: 1, removed: 0, problem: null },
    left: [{ path: '/basket-of-the-day', why: 'The response sets a cookie.' }],
  },
}
const queued = {
  ...{ id: 'j', siteId: 'quay', kind: 'server-pages', title: 'Writing pages to your web server', subjectId: 'write' },
  ...{ state: 'queued', done: 0, total: 1, now: 'Waiting', msLeft: null, skip: null, error: null },
  ...{ createdAt: '2026-12-02T10:00:00.000Z', finishedAt: null },
}
const shown = async (
  pages: ServerPages,
  more: Record<string, unknown> = {},
): Promise<{ host: HTMLElement; asked: Asked[] }> => {
  const asked = answering({ [`GET ${path}`]: pages, ...more })
  const host = mounted(StoredPages, { site: aSite() })
  await expect.poll(() => textOf(host)).toMatch(/No pages are stored|stored there, /)
  return { host, asked }
}

test('before any page is written it is said that the rules change nothing yet', async () => {
  const { host } = await shown(PAGES)
  expect(textOf(host)).toContain('No pages are stored there yet, so the rules change nothing for visitors.')
  expect(textOf(host)).not.toContain('Remove them')
})
test('what is there is told with its size and its end, and what is not with the reason', async () => {
  const { host } = await shown(WRITTEN)
  expect(textOf(host)).toContain('2 pages stored there, 24 KB in all.')
  expect(textOf(host)).toContain('until the end of 2026-12-03')
  expect(textOf(host)).toContain('1 page written, 1 unchanged, 0 removed.')
  expect(textOf(host)).toContain('/basket-of-the-day The response sets a cookie.')
})
test('pages are written and removed at a word, and not twice at once', async () => {
  const { host, asked } = await shown(WRITTEN, {
    [`POST ${path}/runs`]: () => Response.json(queued, { status: 202 }),
  })
  await press(host, 'Remove them')
  await expect.poll(() => asked.at(-1)?.body).toEqual({ what: 'remove' })
  await expect.poll(() => textOf(host)).toContain('Writing pages to your web server: Waiting')
  expect([...host.querySelectorAll('button')].every(({ disabled }) => disabled)).toBe(true)
})
test('how often they are compared is kept at once', async () => {
  const { host, asked } = await shown(PAGES, { [`PUT ${path}`]: PAGES })
  const select = host.querySelector('select')!
  expect(select.value).toBe('60')
  select.value = 'never'
  select.dispatchEvent(new Event('change'))
  await expect.poll(() => whatOf(asked)).toContain(`PUT ${path}`)
  expect(asked.at(-1)?.body).toEqual({ everyMinutes: null, most: 200 })
})
