import { nextTick } from 'vue'
import { afterEach, describe, expect, test, vi } from 'vitest'
import { aSite } from '../testing/a-site.ts'
import { answering } from '../testing/answers.ts'
import { button, field, mounted, press, textOf, textsOf, type } from '../testing/mounted.ts'
import SamplePanel from './SamplePanel.vue'

afterEach(() => vi.unstubAllGlobals())
const known = (path: string, visits: number | null = null) => ({ path, kind: 'Story', priority: 0.5, visits })
const answers = {
  'GET /sites/quay/pages?search=': [known('/'), known('/stories/a', 1200), known('/stories/b')],
  'GET /sites/quay/pages?search=%2Fst': [known('/stories/a')],
  'GET /sites': [aSite()],
  'PUT /sites/quay/sample': aSite(),
}
const shown = async (more: Record<string, unknown> = {}) => {
  const asked = answering({ ...answers, ...more })
  const host = mounted(SamplePanel, { site: aSite() })
  await expect.poll(() => textOf(host)).toContain('/stories/b')
  return { asked, host }
}

describe('pages that stand for the site', () => {
  test('may be any that are known and are not among them yet', async () => {
    const { host } = await shown()
    expect(textsOf(host, 'button').filter((name) => name === 'Add')).toHaveLength(2)
    expect(textOf(host)).toContain('1,200 visits')
  })
  test('are saved together, once asked for', async () => {
    const { asked, host } = await shown()
    expect(button(host, 'Save pages').disabled).toBe(true)
    await press(host, 'Add /stories/b')
    await press(host, 'Remove /shop')
    expect(asked.filter(({ what }) => what.startsWith('PUT'))).toEqual([])
    host.querySelector('form')!.dispatchEvent(new Event('submit'))
    await expect
      .poll(() => asked.find(({ what }) => what.startsWith('PUT'))?.body)
      .toEqual([
        { path: '/', kind: 'Home' },
        { path: '/stories/b', kind: 'Story' },
      ])
  })
  test('are never none: the last one cannot be taken out', async () => {
    const { host } = await shown()
    await press(host, 'Remove /shop')
    expect(button(host, 'Remove /').disabled).toBe(true)
  })
  test('are as they were after the changes are undone', async () => {
    const { host } = await shown()
    await press(host, 'Remove /shop')
    await press(host, 'Undo changes')
    expect(textsOf(host, 'table')[0]).toContain('/shop')
  })
  test('can be one that nobody knows yet, named by its path', async () => {
    const { host } = await shown({ 'GET /sites/quay/pages?search=%2Fnew-quay': [] })
    await type(field(host, 'Search for a page, or enter its path'), '/new-quay')
    await expect.poll(() => textsOf(host, 'table')[1]).toContain('by hand')
    await press(host, 'Add /new-quay')
    expect(textsOf(host, 'table')[0]).toContain('/new-quay')
  })
  test('an answer to an older search does not replace that of the newer one', async () => {
    let late: (answer: unknown) => void = () => undefined
    const { host } = await shown({ 'GET /sites/quay/pages?search=x': () => new Promise((resolve) => (late = resolve)) })
    const search = field(host, 'Search for a page, or enter its path')
    await type(search, 'x')
    await type(search, '/st')
    await expect.poll(() => textsOf(host, 'table')[1]).not.toContain('/stories/b')
    late([known('/x')])
    await nextTick()
    expect(textsOf(host, 'table')[1]).not.toContain('/x')
  })
})

describe('an access log', () => {
  const suggested = [{ path: '/stories/a', kind: 'Story' }]
  test('is sent up to its newest lines, and its most visited pages are taken only on demand', async () => {
    const { host, asked } = await shown({
      'POST /sites/quay/access-log': { lines: 3, understood: 2, pages: 2, suggested },
    })
    const input = host.querySelector<HTMLInputElement>('input[type=file]')!
    const slices: unknown[] = []
    const log = {
      size: 40_000_000,
      slice: (from: number) => (slices.push(from), { text: () => Promise.resolve('lines') }),
    }
    Object.defineProperty(input, 'files', { value: [log] })
    input.dispatchEvent(new Event('change'))
    await expect.poll(() => textOf(host)).toContain('2 of 3 lines understood')
    expect([slices, asked.find(({ what }) => what.endsWith('access-log'))?.body]).toEqual([
      [10_000_000],
      { text: 'lines' },
    ])
    expect(textsOf(host, 'table')[0]).toContain('/shop')
    await press(host, 'Use these')
    expect(textsOf(host, 'table')[0]).not.toContain('/shop')
  })
})
