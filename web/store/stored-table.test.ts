import { nextTick } from 'vue'
import { afterEach, describe, expect, test, vi } from 'vitest'
import type { StorePage, StoreQuery } from '../../core/contracts/store.ts'
import { aSite } from '../testing/a-site.ts'
import { answering, type Asked } from '../testing/answers.ts'
import { button, field, mounted, press, textOf, textsOf, type } from '../testing/mounted.ts'
import StoredTable from './StoredTable.vue'

afterEach(() => vi.unstubAllGlobals())
const entry = (address: string, more: object = {}): StorePage['entries'][number] => ({
  address,
  channel: 'live',
  status: 200,
  contentType: 'text/html',
  state: 'fresh',
  since: 0,
  ttlS: 3600,
  lifetimeFrom: 'owner',
  kind: null,
  bytes: { br: 4000, identity: 20_000 },
  hits: 3,
  variants: [],
  filledBy: 'visitor',
  last: null,
  ...more,
})
const shown = async (channel: 'live' | 'trial' = 'live', page: StorePage = { total: 250, entries: [entry('/a')] }) => {
  const asked = answering({
    'POST /sites/quay/store': page,
    'POST /sites/quay/purges': { purged: 1 },
    'POST /sites/quay/refreshes': [],
  })
  const told: unknown[] = []
  const host = mounted(StoredTable, {
    site: aSite(),
    channel,
    onExplain: (address: string) => told.push(address),
    onChanged: () => told.push('changed'),
  })
  await expect.poll(() => textOf(host)).toMatch(/of 250|Nothing stored/)
  return { asked, host, told }
}
const queries = (asked: readonly Asked[]): StoreQuery[] =>
  asked.filter(({ what }) => what.endsWith('/store')).map(({ body }) => body as StoreQuery)

describe('what is stored', () => {
  test('is told with its size by coding, how long it is fresh, and why', async () => {
    const { host } = await shown('live', {
      total: 250,
      entries: [entry('/a'), entry('/b', { ttlS: -120, lifetimeFrom: 'heuristic' })],
    })
    expect(textsOf(host, 'tbody tr td:nth-child(3)')).toEqual([
      '60 minutes by your lifetime',
      'stale for 2 minutes by Last-Modified',
    ])
    expect(textsOf(host, 'tbody tr td:nth-child(4)')[0]).toBe('br 4.0 KB, identity 20 KB')
  })
  test('comes a page at a time; another filter begins at the first again', async () => {
    const { asked, host } = await shown()
    expect(textOf(host.querySelector('[role=status]'))).toBe('1 to 100 of 250')
    expect(button(host, 'Back').disabled).toBe(true)
    await press(host, 'Next')
    await press(host, 'Next')
    await expect.poll(() => queries(asked).at(-1)?.offset).toBe(200)
    await expect.poll(() => button(host, 'Next').disabled).toBe(true)
    await type(field(host, 'Address contains'), 'stories')
    await expect.poll(() => queries(asked).at(-1)).toMatchObject({ text: 'stories', offset: 0, limit: 100 })
  })
  test('is sorted by delivery: once the way that tells most, once more the other way', async () => {
    const { asked, host } = await shown()
    const order = () => [queries(asked).at(-1)?.sort, queries(asked).at(-1)?.descending]
    const heading = (name: string) => [...host.querySelectorAll('th')].find((one) => textOf(one).startsWith(name))!
    await press(host, 'Hits')
    await expect.poll(order).toEqual(['hits', true])
    expect(heading('Hits').getAttribute('aria-sort')).toBe('descending')
    await press(host, 'Hits ▾')
    await expect.poll(order).toEqual(['hits', false])
    await press(host, 'Address')
    await expect.poll(order).toEqual(['address', false])
  })
  test('that is nothing says so instead of an empty table', async () => {
    const { host } = await shown('live', { total: 0, entries: [] })
    expect([textOf(host.querySelector('[role=status]')), host.querySelector('table')]).toEqual(['Nothing stored', null])
  })
})

describe('one that is stored', () => {
  test('is purged or fetched again by itself, and the list is asked for again', async () => {
    const { asked, host, told } = await shown()
    await press(host, 'Purge /a')
    await expect.poll(() => told).toEqual(['changed'])
    // The list comes again in between.
    await expect.poll(() => queries(asked).length).toBe(2)
    await expect.poll(() => button(host, 'Refresh /a').disabled).toBe(false)
    await press(host, 'Refresh /a')
    await expect.poll(() => told).toEqual(['changed', 'changed'])
    expect(asked.filter(({ what }) => !what.endsWith('/store'))).toEqual([
      { what: 'POST /sites/quay/purges', body: { kind: 'paths', paths: ['/a'] } },
      { what: 'POST /sites/quay/refreshes', body: { paths: ['/a'] } },
    ])
    await expect.poll(() => queries(asked).length).toBe(3)
  })
  test('of trial is not fetched anew: only visitors of live need it warm', async () => {
    const { host } = await shown('trial')
    expect(button(host, 'Refresh /a').disabled).toBe(true)
  })
  test('is explained on demand', async () => {
    const { host, told } = await shown()
    await press(host, 'Explain /a')
    await nextTick()
    expect(told).toEqual(['/a'])
  })
})
