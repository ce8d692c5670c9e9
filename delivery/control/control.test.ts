import { mkdtemp, rm, stat, writeFile } from 'node:fs/promises'
import type { Server } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { PurgeOrder } from '../../core/contracts/delivery.ts'
import type { DeliveryConfig } from '../../core/contracts/delivery-config.ts'
import { emptySetup } from '../../core/contracts/setup.ts'
import { loadConfig, saveConfig } from '../process/config-file.ts'
import { createControlChannel } from './channel.ts'
import { claimSocket, DataDirectoryTaken } from '../../process/claim-socket.ts'
import { DeliveryClient, DeliveryUnavailable } from './client.ts'
import { controlSocketPath } from '../../process/socket-path.ts'

let folder: string
let server: Server | undefined
const configured: DeliveryConfig[] = []
const purged: PurgeOrder[] = []
const CONFIG: DeliveryConfig = {
  revision: 7,
  sites: [
    {
      siteId: 's',
      origin: {
        base: 'http://127.0.0.1:1',
        hostHeader: 'visitor',
        privateAddresses: 'allowed',
        timeoutMs: 1000,
      },
      knowledge: [],
      challenges: [],
      channels: [{ channel: 'live', hosts: ['a.example'], setup: emptySetup() }],
    },
  ],
}

const start = (path: string): Promise<Server> => {
  const created = createControlChannel({
    configure: async (config) => void configured.push(config),
    purge: async (order) => ({ purged: purged.push(order), orders: [order] }),
    picturesChanged: async () => undefined,
    announcements: (res) => void res.end(),
    contact: () => undefined,
    doubt: () => undefined,
    traffic: () => ({ since: 1, channels: [], recent: [], unrewritten: [], storeProblem: null }),
    listStore: async () => ({ total: 0, entries: [] }),
    coverage: async () => [],
    visited: async () => ({ schemes: { http: 1, https: 2 }, pages: [] }),
    nextPages: () => ({ sequences: [{ page: '/', visits: 2, next: [{ page: '/a', visits: 1 }] }] }),
    warm: async () => ({ outcome: { kind: 'fresh' }, waitsMs: [], missing: [] }),
    changes: async () => ({ untouched: null, bytesBefore: 2, bytesAfter: 1, changes: [] }),
    preparing: () => ({ waiting: 3, pages: 2, pictures: 1 }),
    picturesMade: async () => 40,
  })
  return new Promise((resolve) => created.listen(path, () => resolve(created)))
}

beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'zest-control-'))
  configured.length = 0
  purged.length = 0
})
afterEach(async () => {
  server?.close()
  server?.closeAllConnections()
  server = undefined
  await rm(folder, { recursive: true, force: true })
})

describe('control channel', () => {
  test('carries setups, purges and traffic', async () => {
    server = await start(controlSocketPath(folder))
    const client = new DeliveryClient(controlSocketPath(folder))
    await client.configure(CONFIG)
    expect(configured).toEqual([CONFIG])
    expect(await client.purge({ siteId: 's', what: { kind: 'paths', paths: ['/a'] }, manner: 'hard' })).toEqual({
      purged: 1,
      edges: [],
    })
    expect(await client.traffic('s')).toMatchObject({ since: 1, channels: [], recent: [] })
    expect(await client.isUp()).toBe(true)
  })
  test('refuses a configuration that does not fit, with the reason', async () => {
    server = await start(controlSocketPath(folder))
    const client = new DeliveryClient(controlSocketPath(folder))
    await expect(client.configure({ ...CONFIG, revision: -1 })).rejects.toThrow(/revision/)
    expect(configured).toEqual([])
  })
  test('an order waits for a delivery that is being started', async () => {
    const purging = new DeliveryClient(controlSocketPath(folder), 60_000).purge({
      siteId: 's',
      what: { kind: 'everything' },
      manner: 'hard',
    })
    expect(await new DeliveryClient(controlSocketPath(folder)).isUp()).toBe(false)
    server = await start(controlSocketPath(folder))
    expect(await purging).toEqual({ purged: 1, edges: [] })
    expect(purged).toHaveLength(1)
  })
  test('says that visitors are still served when delivery does not answer', async () => {
    const client = new DeliveryClient(controlSocketPath(folder), 100)
    expect(await client.isUp()).toBe(false)
    await expect(client.configure(CONFIG)).rejects.toThrow(DeliveryUnavailable)
    await expect(client.configure(CONFIG)).rejects.toThrow(/last good setup/)
  })
})

describe('one process for each data directory', () => {
  test('a second one is told so, and the first keeps its socket', async () => {
    const path = controlSocketPath(folder)
    server = await start(path)
    await expect(claimSocket(path, folder)).rejects.toThrow(DataDirectoryTaken)
    expect(await new DeliveryClient(path).isUp()).toBe(true)
  })
  test('what a crash left behind is no obstacle', async () => {
    const path = controlSocketPath(folder)
    await writeFile(path, '')
    await claimSocket(path, folder)
    await expect(stat(path)).rejects.toThrow(/ENOENT/)
  })
  test('a long data directory gets its socket elsewhere: a path holds 107 bytes (unix(7))', () => {
    const path = controlSocketPath(join(folder, 'x'.repeat(120)))
    expect(Buffer.byteLength(path)).toBeLessThanOrEqual(107)
  })
})

describe('last good configuration', () => {
  test('is read back after a restart', async () => {
    await saveConfig(join(folder, 'setups.json'), CONFIG)
    // Keys of certificates are in it.
    expect((await stat(join(folder, 'setups.json'))).mode & 0o777).toBe(0o600)
    expect(await loadConfig(join(folder, 'setups.json'))).toEqual(CONFIG)
  })
  test('one that was written before pages were looked at is still good', async () => {
    const older = { ...CONFIG, sites: CONFIG.sites.map(({ knowledge: _none, ...site }) => site) }
    await writeFile(join(folder, 'setups.json'), JSON.stringify(older))
    expect(await loadConfig(join(folder, 'setups.json'))).toEqual(CONFIG)
  })
  test.each(['', '{', '{"revision":1}', '[]'])(
    'a file that holds %j does not keep delivery from starting',
    async (text) => {
      await writeFile(join(folder, 'setups.json'), text)
      expect(await loadConfig(join(folder, 'setups.json'))).toEqual({ revision: 0, sites: [] })
    },
  )
})
