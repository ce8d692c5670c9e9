import { afterEach, beforeEach, expect, test } from 'vitest'
import type { CookieFinding } from '../../core/contracts/cookies.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { ContentSystem } from '../../standins/systems/content-system.ts'
import { CHANDLERY, NOTICES, type Habits } from '../../standins/systems/habits.ts'
import { ServerBench } from '../testing/server-bench.ts'

/** What a cookie search finds out about content systems with habits of their own. */

let bench: ServerBench
let system: ContentSystem
let site: Site
const connect = async (habits: Habits): Promise<void> => {
  system = new ContentSystem(habits)
  bench.siteUrl = await system.open()
  site = await bench.connect()
}
beforeEach(async () => {
  bench = await ServerBench.open()
})
afterEach(async () => {
  system.close()
  await bench.close()
})

const search = async (cookie = ''): Promise<Map<string, CookieFinding>> => {
  await bench.call('POST', `/sites/${site.id}/cookies/searches`, { cookie })
  await bench.services.jobs.idle()
  const { findings } = (await bench.call('GET', `/sites/${site.id}/cookies`)).body
  return new Map(findings.map((one: CookieFinding) => [one.name, one]))
}

test('a session that everybody gets is no harmless cookie, although no page changes with it yet', async () => {
  await connect(CHANDLERY)
  const found = await search()
  expect(found.get('portal_session')?.effect).toBe('session')
  expect(found.get('portal_session')?.sentence).toContain('never treat it as harmless')
})
test('the cookie that is tried on the sign-in page is found, and no page changes with it', async () => {
  await connect(NOTICES)
  expect((await search()).get('cookie_check')?.effect).toBe('none')
})
test('findings of earlier searches stay', async () => {
  await connect(NOTICES)
  await search('desk_layout_2=wide')
  expect([...(await search('tint=dark')).keys()].toSorted()).toEqual(['cookie_check', 'desk_layout_2', 'tint'])
})
