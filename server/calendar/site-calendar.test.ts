import { afterEach, beforeEach, expect, test } from 'vitest'
import { emptyRoutine } from '../../core/contracts/routine.ts'
import { ServerBench, type Json } from '../testing/server-bench.ts'

let bench: ServerBench
let siteId = ''
const NIGHT = { from: '02:00', to: '05:00', zone: 'UTC' }

const put = async (path: string, body: unknown): Promise<void> => {
  const answer = await bench.call('PUT', `/sites/${siteId}${path}`, body)
  if (answer.status >= 300) throw new Error(JSON.stringify(answer.body))
}
const get = async (path: string): Promise<Json> => (await bench.call('GET', `/sites/${siteId}${path}`)).body

beforeEach(async () => {
  bench = await ServerBench.open()
  siteId = (await bench.connect()).id
})
afterEach(() => bench.close())

test('nothing runs by itself unless the owner wants it', async () => {
  expect(await get('/calendar')).toMatchObject({ entries: [], conflicts: [] })
})

test('all that is planned stands on one calendar, with what is in the way of what', async () => {
  await put('/routine', { ...emptyRoutine(), everyHours: 24, quietFrom: '02:00', quietUntil: '05:00' })
  await put('/database/plan', { ...(await get('/database/plan')), quiet: NIGHT, every: { count: 1, unit: 'days' } })
  const { plan } = await get('/pictures')
  await put('/pictures/plan', { ...plan, quiet: NIGHT, every: { count: 1, unit: 'weeks' } })
  const warmUp = await get('/warm-up')
  await put('/warm-up', { ...warmUp.settings, automatic: true, everyH: 6 })
  const { entries, conflicts } = await get('/calendar')
  expect(new Set(entries.map(({ work }: Json) => work))).toEqual(new Set(['retest', 'backup', 'pictures', 'warm-up']))
  const times = entries.map(({ at }: Json) => Date.parse(at))
  expect(times).toEqual([...times].sort((a: number, b: number) => a - b))
  for (const { work, at } of entries) if (work === 'backup') expect(new Date(at).getUTCHours()).toBeOneOf([2, 3, 4])
  expect(conflicts.map(({ kind, works }: Json) => [kind, works])).toEqual(
    expect.arrayContaining([
      ['never', ['backup']],
      ['overlap', ['retest', 'backup']],
      ['overlap', ['retest', 'pictures']],
    ]),
  )
})
