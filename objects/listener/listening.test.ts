import { mkdtemp, readFile, rm } from 'node:fs/promises'
import { once } from 'node:events'
import type { AddressInfo } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { Redis } from 'ioredis'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { ObjectSites } from '../sites/object-sites.ts'
import { aSite } from '../testing/objects-bench.ts'
import { tlsFor } from './listening.ts'
import { ObjectsListener } from './objects-listener.ts'

let folder: string
beforeEach(async () => {
  folder = await mkdtemp(join(tmpdir(), 'zest-listening-'))
})
afterEach(() => rm(folder, { recursive: true, force: true }))

const options = (address: string) => ({ address, certificateFile: undefined, keyFile: undefined, folder })

describe('clients of the object cache', () => {
  test.each(['127.0.0.1', '::1', 'localhost'])('come without TLS at %s', async (address) => {
    expect(await tlsFor(options(address), Date.now())).toBeUndefined()
  })
  test('come over TLS from elsewhere, and trust the certificate that was made for them', async () => {
    const secure = await tlsFor(options('192.0.2.7'), Date.now())
    const sites = new ObjectSites(Date.now)
    sites.configure({ revision: 1, sites: [aSite('orrin')] })
    const listener = new ObjectsListener(sites, { now: Date.now, report: () => undefined }, secure)
    listener.server.listen(0, '127.0.0.1')
    await once(listener.server, 'listening')
    const { port } = listener.server.address() as AddressInfo
    const ca = await readFile(join(folder, 'objects-certificate.pem'), 'utf8')
    // The name that it is for; the connection itself goes to this machine.
    const checked = {
      host: '127.0.0.1',
      port,
      username: 'orrin',
      password: 'orrin',
      tls: { ca, servername: 'localhost' },
    }
    const client = new Redis(checked)
    expect(await client.set('page', 'stored')).toBe('OK')
    expect(await client.get('page')).toBe('stored')
    client.disconnect()
    const distrustful = new Redis({ ...checked, tls: { servername: 'localhost' }, retryStrategy: () => null })
    const [error] = (await once(distrustful, 'error')) as [Error]
    expect(error.message).toMatch(/self-signed certificate/)
    distrustful.disconnect()
    listener.close()
  })
  test('keep their certificate over a restart, until it is about to run out', async () => {
    const now = Date.now()
    const first = await tlsFor(options('192.0.2.7'), now)
    expect((await tlsFor(options('192.0.2.7'), now))?.cert).toBe(first?.cert)
    expect((await tlsFor(options('192.0.2.7'), now + 340 * 86_400_000))?.cert).not.toBe(first?.cert)
  })
  test('are not let in by a certificate that cannot be read: the sentence names the settings', async () => {
    const files = { certificateFile: '/nowhere/a.pem', keyFile: '/nowhere/b.pem' }
    await expect(tlsFor({ ...options('192.0.2.7'), ...files }, Date.now())).rejects.toThrow(/ZEST_OBJECTS_CERTIFICATE/)
  })
})
