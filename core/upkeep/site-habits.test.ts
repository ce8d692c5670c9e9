import { expect, test } from 'vitest'
import { siteHabits, type HabitFacts } from './site-habits.ts'

const facts = (more: Partial<HabitFacts> = {}): HabitFacts => ({
  fields: new Map(),
  generator: null,
  pageMs: [900, 1000, 950],
  fileMs: [120, 130, 110],
  filePath: '/style.css',
  connectMs: 20,
  protocol: 'http/1.1',
  scheme: 'https',
  ...more,
})
const topics = (given: HabitFacts) => Object.fromEntries(siteHabits(given).map((one) => [one.topic, one]))

test('what a page costs is told apart from what the machine and the way cost', () => {
  const seen = topics(facts())
  // 950 less 120; 120 less two round trips of 20.
  expect(seen['page-making']).toMatchObject({
    seconds: 0.83,
    sentence: expect.stringContaining('830 ms more') as string,
  })
  expect(seen['file-wait']).toMatchObject({ seconds: 0.08, sentence: expect.stringContaining('is quick') as string })
  expect(seen['distance']).toMatchObject({ seconds: 0.02, sentence: expect.stringContaining('near') as string })
  expect(seen['protocol']?.sentence).toContain('HTTP/1.1')
  const slow = topics(facts({ pageMs: [700], fileMs: [650], connectMs: 120, protocol: 'h2' }))
  expect(slow['page-making']?.sentence).toContain('is quick')
  expect(slow['file-wait']?.sentence).toContain('another machine does')
  expect(slow['distance']?.sentence).toContain('edge')
  expect(slow['protocol']).toBeUndefined()
})
test('nothing is said of what was not seen', () => {
  expect(Object.keys(topics(facts({ fileMs: [], protocol: 'h2' })))).toEqual(['distance'])
  expect(topics(facts({ scheme: 'http' }))['protocol']).toBeUndefined()
})
test.each([
  ['x-powered-by', 'Tern/7.4.33', 'language', 'Tern 7.4.33'],
  ['x-powered-by', 'Tern', 'language', 'which version is not visible'],
  ['server', 'Bollard/1.22.1 (Quay)', 'server', 'Bollard 1.22.1'],
])('%s: %s', (name, value, topic, said) => {
  const seen = topics(facts({ fields: new Map([[name, value]]) }))
  expect(seen[topic]?.sentence).toContain(said)
  expect(seen[topic]?.evidence[0]).toContain(value)
})
test('the content system is named where the page names it', () =>
  expect(topics(facts({ generator: 'Slipway 6.1' }))['content-system']?.sentence).toContain('Slipway 6.1'))
