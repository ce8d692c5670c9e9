import { inBackground } from '../../core/in-background.ts'
import { lookup as systemLookup } from 'node:dns'
import { createServer, Socket, type AddressInfo, type Server } from 'node:net'
import {
  guardedLookup,
  PrivateAddressRefused,
  refusePrivate,
  type PrivateAddresses,
} from '../../core/http/private-addresses.ts'
import { connectHost } from '../../core/http/special-names.ts'
import { Bottleneck } from '../../core/model/transport/bottleneck.ts'
import { RealScheduler } from './scheduler.ts'
import { Sender } from './sender.ts'
import { acceptSocks, type SocksTarget } from './socks.ts'

export interface LinkSettings {
  /** To any host that is not named apart, ms. */
  readonly roundTripMs: number
  /** To hosts that stand nearer or farther, by name, ms. */
  readonly roundTripsByHost?: Readonly<Record<string, number>>
  readonly downKbps: number
  readonly upKbps: number
  /** Share of segments lost each way, 0 to 1. */
  readonly lossShare?: number
  /** Where to connect for a name that no resolver knows, "host:port" by "host:port". */
  readonly connectTo?: Readonly<Record<string, string>>
  /** Whether pages may reach into private networks. */
  readonly privateAddresses?: PrivateAddresses
  /** Ports of this machine that no page may reach, whatever else is allowed: control's. */
  readonly closedPorts?: readonly number[]
}

const hostAndPort = (text: string): [string, number] => {
  const colon = text.lastIndexOf(':')
  return [text.slice(0, colon), Number(text.slice(colon + 1))]
}

/**
 * A simulated access link. The browser reaches every host through it as a SOCKS 5 proxy (RFC 1928), so handshakes, slow start
 * and the shared rate apply to third parties too. The reply to CONNECT is held back for the round trips that looking up
 * the name and opening the connection would take.
 */
export class LinkRelay {
  readonly #settings: LinkSettings
  readonly #scheduler = new RealScheduler()
  readonly #down: Bottleneck
  readonly #up: Bottleneck
  readonly #sockets = new Set<Socket>()
  readonly #looked = new Set<string>()
  #server: Server | undefined

  constructor(settings: LinkSettings) {
    this.#settings = settings
    const { downKbps, upKbps, lossShare = 0 } = settings
    const loss = lossShare > 0 ? { loses: () => Math.random() < lossShare } : {}
    this.#down = new Bottleneck({ bytesPerMs: downKbps / 8, ...loss }, this.#scheduler)
    this.#up = new Bottleneck({ bytesPerMs: upKbps / 8, ...loss }, this.#scheduler)
  }

  /** @returns the port on 127.0.0.1 the browser is to use as its SOCKS 5 proxy */
  async listen(): Promise<number> {
    // Half-open, so that what the server still has to say arrives after the browser has ended its side.
    this.#server = createServer({ allowHalfOpen: true }, (socket) => {
      inBackground(this.#accept(socket), () => socket.destroy())
    })
    await new Promise<void>((resolve, reject) => {
      this.#server!.once('error', reject)
      this.#server!.listen(0, '127.0.0.1', resolve)
    })
    return (this.#server.address() as AddressInfo).port
  }

  #roundTripTo(host: string): number {
    return this.#settings.roundTripsByHost?.[host] ?? this.#settings.roundTripMs
  }

  async #accept(browser: Socket): Promise<void> {
    this.#track(browser)
    browser.setNoDelay(true)
    try {
      const { target, reply } = await acceptSocks(browser)
      this.#connect(browser, target, reply)
    } catch {
      browser.destroy()
    }
  }

  #track(socket: Socket): void {
    this.#sockets.add(socket)
    socket.on('close', () => this.#sockets.delete(socket))
    socket.on('error', () => socket.destroy())
  }

  #connect(browser: Socket, target: SocksTarget, reply: (ok: boolean) => void): void {
    const askedAt = this.#scheduler.now()
    const elsewhere = this.#settings.connectTo?.[`${target.host}:${target.port}`]
    const [host, port] = elsewhere === undefined ? [target.host, target.port] : hostAndPort(elsewhere)
    const reach = this.#settings.privateAddresses ?? 'refused'
    const server = new Socket({ allowHalfOpen: true })
    this.#track(server)
    try {
      // Our own delivery is meant where a name is led elsewhere; everything else is only what the page says.
      if (elsewhere === undefined) refusePrivate(host, reach)
      if (this.#settings.closedPorts?.includes(port) === true) throw new PrivateAddressRefused(`Port ${port}`)
    } catch {
      return reply(false)
    }
    const looked =
      elsewhere === undefined
        ? {
            lookup: guardedLookup(systemLookup as Parameters<typeof guardedLookup>[0], reach),
          }
        : {}
    server.connect({ host: connectHost(host), port, noDelay: true, ...looked })
    // One round trip for the name, once a host, and one for SYN and SYN-ACK; an acknowledgement carries the request.
    // The resolver is the access network's own, so it is as far as the nearest host.
    const roundTripMs = this.#roundTripTo(target.host)
    const lookup = this.#looked.has(target.host) ? 0 : this.#settings.roundTripMs
    this.#looked.add(target.host)
    const answerAt = askedAt + lookup + roundTripMs
    let connected = false
    server.once('connect', () => {
      connected = true
      this.#scheduler.at(answerAt, () => {
        if (browser.destroyed) return server.destroy()
        reply(true)
        this.#join(browser, server, roundTripMs / 2)
      })
    })
    server.once('error', () => {
      if (!browser.destroyed && !connected) this.#scheduler.at(answerAt, () => reply(false))
      else browser.destroy()
    })
    browser.once('close', () => server.destroy())
  }

  #join(browser: Socket, server: Socket, delayMs: number): void {
    this.#oneWay(server, browser, this.#down, delayMs)
    this.#oneWay(browser, server, this.#up, delayMs)
    browser.resume()
  }

  #oneWay(from: Socket, to: Socket, bottleneck: Bottleneck, delayMs: number): void {
    const sender = new Sender(bottleneck, this.#scheduler, delayMs, {
      deliver: (bytes) => {
        if (!to.destroyed) to.write(bytes)
      },
      wantsMore: () => from.resume(),
    })
    from.on('data', (bytes: Buffer) => {
      sender.push(bytes)
      if (sender.isFull) from.pause()
    })
    from.on('end', () => sender.end(() => to.end()))
    from.on('close', () => sender.end(() => to.destroySoon()))
  }

  async close(): Promise<void> {
    for (const socket of this.#sockets) socket.destroy()
    this.#scheduler.close()
    await new Promise<void>((resolve) => (this.#server === undefined ? resolve() : this.#server.close(() => resolve())))
  }
}
