import { createHash } from 'node:crypto'
import { once } from 'node:events'
import type { AddressInfo } from 'node:net'
import { vi } from 'vitest'
import { ObjectsSite } from '../../core/contracts/objects.ts'
import { actionsOf } from '../control/actions.ts'
import { createObjectsChannel } from '../control/channel.ts'
import { ObjectsListener } from '../listener/objects-listener.ts'
import { OutsideServer, type OutsideIo } from '../outside/outside-server.ts'
import { OutsideSite } from '../outside/outside-site.ts'
import { ObjectSites } from '../sites/object-sites.ts'
import { RawClient } from './raw-client.ts'

/** A made-up site; its password is its name. */
export const aSite = (name: string, settings: Partial<ObjectsSite> = {}): ObjectsSite =>
  ObjectsSite.parse({
    siteId: name,
    name,
    passwordDigest: createHash('sha256').update(name).digest('hex'),
    enabled: true,
    ...settings,
  })

/** For tests: an object cache that listens on a port of its own. */
export class ObjectsBench {
  readonly sites: ObjectSites
  readonly listener: ObjectsListener
  /** What went wrong inside. */
  readonly faults: unknown[]
  port = 0

  /** Where values are kept, if not here. */
  readonly outside: OutsideServer | undefined

  private constructor(
    sites: readonly ObjectsSite[],
    now: () => number,
    outside?: OutsideServer,
    faults: unknown[] = [],
  ) {
    this.faults = faults
    this.outside = outside
    this.sites = new ObjectSites(now, outside === undefined ? undefined : (site) => new OutsideSite(site, outside, now))
    this.sites.configure({ revision: 1, sites: [...sites] })
    this.listener = new ObjectsListener(this.sites, { now, report: (error) => this.faults.push(error) })
  }

  static async open(sites: readonly ObjectsSite[] = [aSite('orrin')], now = Date.now): Promise<ObjectsBench> {
    return new ObjectsBench(sites, now).#listening()
  }

  /** With values in another server; which may be away. */
  static async openOutside(
    url: string,
    sites: readonly ObjectsSite[] = [aSite('orrin')],
    io: Partial<OutsideIo> = {},
  ): Promise<ObjectsBench> {
    const faults: unknown[] = []
    const outside = await OutsideServer.open(url, {
      now: Date.now,
      report: (error) => faults.push(error),
      behind: [],
      keepBehind: () => undefined,
      ...io,
    })
    return new ObjectsBench(sites, io.now ?? Date.now, outside, faults).#listening()
  }

  async #listening(): Promise<this> {
    this.listener.server.listen(0, '127.0.0.1')
    await once(this.listener.server, 'listening')
    this.port = (this.listener.server.address() as AddressInfo).port
    return this
  }

  /** Resolves once the other server is reached. */
  async reachesOutside(): Promise<void> {
    const { outside } = this
    await vi.waitUntil(() => outside?.connection(2) !== undefined && outside.connection(3) !== undefined, {
      timeout: 20_000,
      interval: 10,
    })
  }

  /** The control channel, on a socket of its own. @returns a function that closes it */
  async listenForControl(socketPath: string): Promise<() => void> {
    const save = async (): Promise<void> => undefined
    const channel = createObjectsChannel(actionsOf(this.sites, this.listener, { now: Date.now, save }))
    channel.listen(socketPath)
    await once(channel, 'listening')
    return () => (channel.close(), channel.closeAllConnections())
  }

  /** A client that has said who it is. */
  async client(name = 'orrin'): Promise<RawClient> {
    const client = await RawClient.open(this.port)
    await client.ask('AUTH', name, name)
    return client
  }

  close(): void {
    this.outside?.close()
    this.listener.close()
  }
}
