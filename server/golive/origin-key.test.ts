import { eq } from 'drizzle-orm'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { GoingLive } from '../../core/contracts/going-live-steps.ts'
import type { Site } from '../../core/contracts/sites.ts'
import { keyRules } from '../../core/golive/back-door.ts'
import { ORIGIN_KEY_FIELD } from '../../core/http/origin-key.ts'
import { sites } from '../db/schema.ts'
import { ServerBench } from '../testing/server-bench.ts'
import { hasApache, hasNginx, WebServer } from '../testing/web-servers.ts'

/** An origin that is to answer Zest Lamp only: the rules are judged by Debian's Apache 2.4 and nginx. */

const FILES = { 'index.html': '<title>Quay</title>' }
const SERVERS = [
  ['Apache', hasApache, (key: string | null) => WebServer.apache(FILES, key === null ? '' : keyRules(key).apache, [])],
  ['nginx', hasNginx, (key: string | null) => WebServer.nginx(FILES, '', key === null ? '' : keyRules(key).nginx)],
] as const
let bench: ServerBench
let servers: WebServer[]
let site: Site
beforeEach(async () => {
  bench = await ServerBench.open()
  servers = []
})
afterEach(async () => {
  await bench.close()
  for (const server of servers) await server.stop()
})

const at = (path = ''): string => `/sites/${site.id}${path}`
const backDoor = async () => {
  await bench.call('POST', at('/going-live/checks'))
  await bench.services.jobs.idle()
  const { body } = await bench.call('GET', at('/going-live'))
  const { state, sentence } = (body as GoingLive).steps.find(({ id }) => id === 'back-door')!
  return `${state}: ${sentence}`
}
/** The site’s web server is another one from now on. */
const leadTo = async (server: WebServer): Promise<void> => {
  servers.push(server)
  const address = `http://127.0.0.1:${server.port}`
  await bench.services.db.update(sites).set({ address }).where(eq(sites.id, site.id))
}

describe.each(SERVERS.filter(([, isThere]) => isThere))('%s', (_name, _isThere, start) => {
  test('refuses whoever does not bring the key, and Zest Lamp says whether it does', async () => {
    site = await bench.connect()
    await leadTo(await start(null))
    expect(await backDoor()).toMatch(/^open: Anyone who knows/)
    const { body } = await bench.call('POST', at('/origin-key'))
    const { originKey } = body as Site
    expect(bench.configs.at(-1)!.sites[0]!.origin.key).toBe(originKey)
    expect(await backDoor()).toMatch(/^open: .* answers without it too/)

    await leadTo(await start(originKey))
    const status = async (fields: Record<string, string>) => (await servers.at(-1)!.ask('/', fields)).status
    expect(await status({})).toBe(403)
    expect(await status({ [ORIGIN_KEY_FIELD]: `${originKey}x` })).toBe(403)
    expect(await status({ [ORIGIN_KEY_FIELD]: originKey! })).toBe(200)
    expect(await backDoor()).toBe(
      'done: Your server answers only requests that bring the secret field; others get status 403.',
    )
    // A second order changes nothing that the rules of the server name.
    expect((await bench.call('POST', at('/origin-key'))).body.originKey).toBe(originKey)
    const refused = await bench.call('DELETE', at('/origin-key'))
    expect([refused.status, refused.body.code]).toEqual([409, 'ORIGIN_KEY_NEEDED'])

    await leadTo(await start('another-key-entirely'))
    expect(await backDoor()).toMatch(/^problem: Your server refuses Zest Lamp too, with status 403/)
    await leadTo(await start(null))
    expect((await bench.call('DELETE', at('/origin-key'))).body.originKey).toBeNull()
    expect(bench.configs.at(-1)!.sites[0]!.origin.key).toBeUndefined()
  })
})

test('a server that is out of order just now is not taken for one that refuses', async () => {
  site = await bench.connect()
  await bench.call('POST', at('/origin-key'))
  bench.site = () => ({ status: 503, body: 'Back soon.' })
  expect(await backDoor()).toMatch(/^open: Your server did not answer just now/)
})
test('whatever asks the site brings the key, and browsers load the origin through delivery', async () => {
  site = await bench.connect()
  await bench.call('POST', at('/origin-key'))
  const { origin, channels } = bench.configs.at(-1)!.sites[0]!
  expect(channels.map(({ hosts }) => hosts[0])).toContain(`origin.${site.trialHost}`)
  const loaded: string[] = []
  bench.lab = ({ url }) => {
    loaded.push(new URL(url).hostname)
    return { kind: 'failed', reason: 'Not loaded here.' } as never
  }
  await bench.measure(site, { sides: ['origin'], runs: 1 }).catch(() => undefined)
  expect(new Set(loaded)).toEqual(new Set([`origin.${site.trialHost}`]))
  const brought: unknown[] = []
  bench.site = () => ({ headers: { 'content-type': 'text/html' }, body: '<title>Quay</title>' })
  bench.siteAsked = (fields) => brought.push(fields[ORIGIN_KEY_FIELD])
  await bench.call('POST', at('/checks'), {})
  expect(new Set(brought)).toEqual(new Set([origin.key]))
})
