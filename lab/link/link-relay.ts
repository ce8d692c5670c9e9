import { connect, createServer, type AddressInfo, type Server, type Socket } from 'node:net'
import { connectHost } from '../../core/http/special-names.ts'
import { Direction } from './direction.ts'
import { RealScheduler } from './scheduler.ts'
import { Sender } from './sender.ts'
import { acceptSocks, type SocksTarget } from './socks.ts'

export interface LinkSettings {
  readonly roundTripMs: number
  readonly downKbps: number
  readonly upKbps: number
}

/** Bytes taken from a socket ahead of the link; more would only lie in our memory. */
const MOST_BACKLOG = 1024 * 1024

/**
 * A simulated access link. The browser reaches every host through it as a SOCKS 5 proxy (RFC 1928), so handshakes, slow start
 * and the shared rate apply to third parties too. The reply to CONNECT is held back for the round trips that looking up
 * the name and opening the connection would take.
 */
export class LinkRelay {
  readonly #settings: LinkSettings
  readonly #scheduler = new RealScheduler()
  readonly #down: Direction
  readonly #up: Direction
  readonly #sockets = new Set<Socket>()
  readonly #looked = new Set<string>()
  #server: Server | undefined

  constructor(settings: LinkSettings) {
    this.#settings = settings
    const delayMs = settings.roundTripMs / 2
    this.#down = new Direction({ bytesPerMs: settings.downKbps / 8, delayMs }, this.#scheduler)
    this.#up = new Direction({ bytesPerMs: settings.upKbps / 8, delayMs }, this.#scheduler)
  }

  /** @returns the port on 127.0.0.1 the browser is to use as its SOCKS 5 proxy */
  async listen(): Promise<number> {
    // Half-open, so that what the server still has to say arrives after the browser has ended its side.
    this.#server = createServer({ allowHalfOpen: true }, (socket) => void this.#accept(socket))
    await new Promise<void>((resolve, reject) => {
      this.#server!.once('error', reject)
      this.#server!.listen(0, '127.0.0.1', resolve)
    })
    return (this.#server.address() as AddressInfo).port
  }

  /** A browser with an empty profile has looked no name up yet. */
  forgetNames(): void {
    this.#looked.clear()
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
    const host = connectHost(target.host)
    const server = connect({ host, port: target.port, allowHalfOpen: true, noDelay: true })
    this.#track(server)
    // One round trip for the name, once a host, and one for SYN and SYN-ACK; an acknowledgement carries the request.
    const lookup = this.#looked.has(target.host) ? 0 : this.#settings.roundTripMs
    this.#looked.add(target.host)
    const answerAt = askedAt + lookup + this.#settings.roundTripMs
    let connected = false
    server.once('connect', () => {
      connected = true
      this.#scheduler.at(answerAt, () => {
        if (browser.destroyed) return server.destroy()
        reply(true)
        this.#join(browser, server)
      })
    })
    server.once('error', () => {
      if (!browser.destroyed && !connected) this.#scheduler.at(answerAt, () => reply(false))
      else browser.destroy()
    })
    browser.once('close', () => server.destroy())
  }

  #join(browser: Socket, server: Socket): void {
    this.#oneWay(server, browser, this.#down)
    this.#oneWay(browser, server, this.#up)
    browser.resume()
  }

  #oneWay(from: Socket, to: Socket, direction: Direction): void {
    const sender = new Sender(direction, this.#scheduler, this.#settings.roundTripMs / 2, {
      deliver: (bytes) => {
        if (!to.destroyed) to.write(bytes)
      },
      wantsMore: () => from.resume(),
    })
    from.on('data', (bytes: Buffer) => {
      sender.push(bytes)
      if (sender.backlog > MOST_BACKLOG) from.pause()
    })
    from.on('end', () => sender.end(() => to.end()))
    from.on('close', () => sender.end(() => to.destroySoon()))
  }

  async close(): Promise<void> {
    for (const socket of this.#sockets) socket.destroy()
    this.#scheduler.close()
    await new Promise<void>((resolve) =>
      this.#server === undefined ? resolve() : this.#server.close(() => resolve()),
    )
  }
}
