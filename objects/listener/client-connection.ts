import type { Socket } from 'node:net'
import { CommandParser, ProtocolError, STRANGER_LIMITS, type CommandLimits } from '../resp/command-parser.ts'
import { Session, type Authenticate } from './session.ts'
import type { SiteObjects } from '../sites/site-objects.ts'

/** Commands of one client that are carried out before others have their turn. */
const TURN = 500
/** Replies go out when so many bytes wait. */
const FLUSH_BYTES = 64 * 1024
/** Who has not said who it is by then is let go, ms; likewise who does not take its replies. */
const STRANGER_MS = 30_000
const UNREAD_MS = 60_000

/** Others have their turn; replies are not read; a wrong password was given; replies have to come from elsewhere. */
type Pause = 'turn' | 'unread' | 'slowed' | 'held'

/** What the listener does for its connections. */
export interface ConnectionHost {
  readonly authenticate: Authenticate
  readonly now: () => number
  /** How long who gave a wrong password waits for its reply, ms. */
  readonly slowedMs: (address: string) => number
  readonly report: (error: unknown) => void
}

/** Commands a site's clients may send: its largest value, and what belongs to it. */
const limitsOf = ({ keys }: SiteObjects): CommandLimits => {
  const argumentBytes = Math.max(1024 * 1024, 2 * keys.bounds.largestValueBytes)
  return { argumentBytes, arguments: 1024 * 1024, commandBytes: 4 * argumentBytes + 16 * 1024 * 1024 }
}

/** One client's connection: commands in, replies out, never more of either than the memory bears. */
export class ClientConnection {
  readonly #socket: Socket
  readonly #host: ConnectionHost
  readonly #parser = new CommandParser(STRANGER_LIMITS)
  readonly #session: Session
  /** Why nothing is read from the parser now. */
  #pause: Pause | undefined
  #ending = false
  #patience: NodeJS.Timeout | undefined
  #slowMs = 0
  #working = false

  constructor(socket: Socket, host: ConnectionHost) {
    this.#socket = socket
    this.#host = host
    this.#session = new Session(
      host.authenticate,
      {
        end: () => (this.#ending = true),
        refused: () => (this.#slowMs = host.slowedMs(socket.remoteAddress ?? '')),
        authenticated: (site) => this.#entered(site),
        replied: () => this.#replied(),
      },
      host.now,
    )
    this.#giveTime(STRANGER_MS)
    socket.setNoDelay(true)
    socket.on('data', (piece: Buffer) => {
      this.#parser.give(piece)
      this.#work()
    })
    socket.on('drain', () => this.#resume('unread'))
    socket.on('end', () => socket.end())
    // The other side is gone: nothing to tell anybody.
    socket.on('error', () => socket.destroy())
    socket.on('close', () => this.#closed())
  }

  get site(): SiteObjects | undefined {
    return this.#session.site
  }

  end(): void {
    this.#socket.destroy()
  }

  #giveTime(ms: number): void {
    clearTimeout(this.#patience)
    this.#patience = setTimeout(() => this.#socket.destroy(), ms)
    this.#patience.unref()
  }

  #counted: SiteObjects | undefined
  #entered(site: SiteObjects): void {
    clearTimeout(this.#patience)
    this.#parser.setLimits(limitsOf(site))
    if (this.#counted === site) return
    if (this.#counted !== undefined) this.#counted.clients--
    this.#counted = site
    site.clients++
  }

  #closed(): void {
    clearTimeout(this.#patience)
    this.#session.close()
    if (this.#counted !== undefined) this.#counted.clients--
    this.#counted = undefined
  }

  #resume(why: Pause): void {
    if (this.#pause !== why || this.#socket.destroyed) return
    this.#pause = undefined
    if (why === 'unread' && this.#session.site !== undefined) clearTimeout(this.#patience)
    if (this.#ending) return this.#endAfterReplies()
    this.#socket.resume()
    this.#work()
  }

  #stop(why: Pause): void {
    this.#pause = why
    this.#socket.pause()
  }

  /** @returns whether there is room for more */
  #flush(): boolean {
    for (;;) {
      const replies = this.#session.takeReplies(FLUSH_BYTES)
      if (replies === undefined) return true
      if (this.#socket.write(replies)) continue
      this.#stop('unread')
      this.#giveTime(UNREAD_MS)
      return false
    }
  }

  /** Replies have come from elsewhere. */
  #replied(): void {
    if (this.#working || this.#pause === 'unread' || this.#pause === 'slowed' || this.#socket.destroyed) return
    if (!this.#flush()) return
    if (this.#ending) this.#endAfterReplies()
    else if (!this.#session.isHeld) this.#resume('held')
  }

  #work(): void {
    if (this.#pause !== undefined || this.#ending) return
    this.#working = true
    try {
      for (let done = 0; ; done++) {
        if (this.#session.reply.waiting >= FLUSH_BYTES && !this.#flush()) return
        if (this.#session.isHeld) {
          // Replies that are all here hold nothing up.
          if (!this.#flush()) return
          if (this.#session.isHeld) {
            this.#stop('held')
            break
          }
        }
        if (done === TURN) {
          this.#stop('turn')
          setImmediate(() => this.#resume('turn'))
          break
        }
        if (!this.#session.goOn()) {
          const command = this.#parser.next()
          if (command === undefined) break
          if (command.length > 0) this.#session.execute(command)
        }
        if (this.#ending) break
        if (this.#slowMs > 0) return this.#slowDown()
      }
    } catch (error) {
      if (error instanceof ProtocolError) this.#session.say(`ERR ${error.message}`)
      else {
        this.#host.report(error)
        this.#session.say('ERR the object cache met a fault of its own; it was written down.')
      }
      this.#ending = true
    } finally {
      this.#working = false
    }
    if (this.#ending) return this.#endAfterReplies()
    this.#flush()
  }

  #endAfterReplies(): void {
    this.#giveTime(UNREAD_MS)
    if (!this.#flush() || this.#session.owesReplies) return
    this.#socket.end()
  }

  /** Whoever guesses passwords waits for each answer. */
  #slowDown(): void {
    const ms = this.#slowMs
    this.#slowMs = 0
    this.#stop('slowed')
    setTimeout(() => {
      this.#flush()
      this.#resume('slowed')
    }, ms).unref()
  }
}
