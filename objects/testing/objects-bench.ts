import { createHash } from 'node:crypto'
import { once } from 'node:events'
import type { AddressInfo } from 'node:net'
import { ObjectsSite } from '../../core/contracts/objects.ts'
import { actionsOf } from '../control/actions.ts'
import { createObjectsChannel } from '../control/channel.ts'
import { ObjectsListener } from '../listener/objects-listener.ts'
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
  readonly faults: unknown[] = []
  port = 0

  private constructor(sites: readonly ObjectsSite[], now: () => number) {
    this.sites = new ObjectSites(now)
    this.sites.configure({ revision: 1, sites: [...sites] })
    this.listener = new ObjectsListener(this.sites, { now, report: (error) => this.faults.push(error) })
  }

  static async open(sites: readonly ObjectsSite[] = [aSite('orrin')], now = Date.now): Promise<ObjectsBench> {
    const bench = new ObjectsBench(sites, now)
    bench.listener.server.listen(0, '127.0.0.1')
    await once(bench.listener.server, 'listening')
    bench.port = (bench.listener.server.address() as AddressInfo).port
    return bench
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
    this.listener.close()
  }
}
