import { expect, test } from 'vitest'
import { ContentEventSettings } from '../contracts/setup.ts'
import { changeReaches } from './purge-expansion.ts'

const DEFAULTS = ContentEventSettings.parse({})
const paths = (changed: string[], settings = DEFAULTS): string[] =>
  changeReaches({ paths: changed, groups: [] }, settings).flatMap((what) => (what.kind === 'paths' ? what.paths : []))

test('a page takes the home page and the lists above it along (common practice)', () => {
  expect(paths(['/stories/2026/storm']).sort()).toEqual(['/', '/stories', '/stories/2026', '/stories/2026/storm'])
})
test('only the page itself, where the owner says so', () => {
  expect(paths(['/stories/storm'], { ...DEFAULTS, home: false, lists: false })).toEqual(['/stories/storm'])
})
test('feeds follow every change', () => {
  expect(changeReaches({ paths: ['/a'], groups: [] }, DEFAULTS)).toContainEqual({
    kind: 'pattern',
    pattern: '*/feed',
  })
})
test('a rule adds addresses and groups to the changes it names, and to no others', () => {
  const rules = [{ paths: ['/timetables/*'], alsoPaths: ['/quays/*'], alsoGroups: ['departures'] }]
  const settings = { ...DEFAULTS, feeds: [], dependants: false, rules }
  expect(changeReaches({ paths: ['/timetables/north'], groups: ['x'] }, settings).slice(1)).toEqual([
    { kind: 'pattern', pattern: '/quays/*' },
    { kind: 'groups', groups: ['x', 'departures'] },
  ])
  expect(changeReaches({ paths: ['/stories/a'], groups: [] }, settings)).toHaveLength(1)
})
test('a change that names nothing reaches nothing', () => {
  expect(changeReaches({ paths: [], groups: [] }, DEFAULTS)).toEqual([])
})
