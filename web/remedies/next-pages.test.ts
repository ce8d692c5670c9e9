import { afterEach, expect, test, vi } from 'vitest'
import type { NextPageRule } from '../../core/contracts/rewriting.ts'
import { answering } from '../testing/answers.ts'
import { button, choose, chosenIn, field, mounted, textOf, textsOf, type } from '../testing/mounted.ts'
import NextPagesField from './NextPagesField.vue'

afterEach(() => vi.unstubAllGlobals())

const SEQUENCES = [
  {
    page: '/',
    visits: 40,
    next: [
      { page: '/timetables', visits: 20 },
      { page: '/about', visits: 2 },
    ],
  },
]
const shown = async (rules: NextPageRule[] = [], sequences: unknown = SEQUENCES) => {
  const told: NextPageRule[][] = []
  answering({ 'GET /sites//next-pages': () => ({ sequences }) })
  const host = mounted(NextPagesField, {
    settings: { learn: true, likelyPercent: 25, rules },
    label: 'Which page follows which',
    hint: '',
    onChange: (next: NextPageRule[]) => told.push(next),
  })
  await vi.waitFor(() => expect(textOf(host)).toMatch(/timetables|No visitor has gone/))
  return { host, told }
}

test('pages that follow others stand with visits, share and what is fetched', async () => {
  const { host } = await shown()
  expect(textsOf(host, 'tbody tr').map((row) => row.replace(/By visits.*/, ''))).toEqual([
    expect.stringMatching(/^Home page → \/timetables ?Fetched at once: 20 visits, 50%\./),
    expect.stringMatching(/^Home page → \/about ?Fetched with its link: 2 visits, 5%\./),
  ])
})
test('the owner’s word on one is told, and can be taken back', async () => {
  const never = { page: '/', next: '/about', fetch: 'never' } as const
  const { host, told } = await shown([never])
  expect(chosenIn(host, 'Your rule for /about after Home page')).toBe('Never')
  await choose(host, 'Your rule for /timetables after Home page', 'Always')
  await choose(host, 'Your rule for /about after Home page', 'By visits')
  expect(told).toEqual([[never, { page: '/', next: '/timetables', fetch: 'always' }], []])
})
test('a page that no visitor went on to can be named; what is no page cannot', async () => {
  const { host, told } = await shown([], [])
  expect(textOf(host)).toContain('No visitor has gone from one page to another yet.')
  await type(field(host, 'From page'), '/timetables')
  await type(field(host, 'To page'), 'https://elsewhere.example/')
  expect(button(host, 'Add a rule').disabled).toBe(true)
  await type(field(host, 'To page'), '/fares')
  host.querySelector('form')?.dispatchEvent(new Event('submit'))
  expect(told).toEqual([[{ page: '/timetables', next: '/fares', fetch: 'always' }]])
})
