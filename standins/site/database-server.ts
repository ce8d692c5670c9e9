import { createServer, type Server, type Socket } from 'node:net'
import type { PGlite } from '@electric-sql/pglite'

/** Requests with which a connection begins (PostgreSQL, Frontend/Backend Protocol, “Message Formats”). */
const SSL_REQUEST = 80_877_103
const GSS_REQUEST = 80_877_104
const CANCEL_REQUEST = 80_877_102
const MOST_BYTES = 32 * 1024 * 1024

const message = (kind: string, ...parts: (Buffer | string)[]): Buffer => {
  const body = Buffer.concat(parts.map((part) => (typeof part === 'string' ? Buffer.from(`${part}\0`) : part)))
  const head = Buffer.alloc(5)
  head.write(kind, 0, 'latin1')
  head.writeUInt32BE(body.length + 4, 1)
  return Buffer.concat([head, body])
}
const number = (value: number): Buffer => {
  const bytes = Buffer.alloc(4)
  bytes.writeUInt32BE(value)
  return bytes
}

const ASK_PASSWORD = message('R', number(3))
const failure = (code: string, text: string): Buffer => message('E', 'SFATAL', `C${code}`, `M${text}`, Buffer.from([0]))
const welcome = (): Buffer =>
  Buffer.concat([
    message('R', number(0)),
    message('S', 'server_version', '17.5 (embedded)'),
    message('S', 'client_encoding', 'UTF8'),
    message('S', 'standard_conforming_strings', 'on'),
    message('K', number(1), number(1)),
    message('Z', Buffer.from('I')),
  ])

/** What the engine is ready for after an answer: idle, in a transaction, or in one that failed; undefined: it has not said so. */
const readiness = (answer: Uint8Array): string | undefined => {
  const bytes = Buffer.from(answer)
  let state: string | undefined
  for (let at = 0; at + 5 <= bytes.length; at += 1 + bytes.readUInt32BE(at + 1))
    if (bytes[at] === 0x5a) state = String.fromCharCode(bytes[at + 5] ?? 0)
  return state
}

/** One client of the database. */
class Connection {
  readonly #engine: PGlite
  readonly #socket: Socket
  readonly #user: string
  readonly #password: string
  #bytes = Buffer.alloc(0)
  #stage: 'greeting' | 'password' | 'open' = 'greeting'
  #work: Promise<void> = Promise.resolve()
  /** What this client has set, said again whenever it is its turn. */
  readonly #settings: string[] = []
  /** Ends a transaction that nobody else may come into. */
  #release: (() => void) | undefined

  constructor(engine: PGlite, socket: Socket, user: string, password: string) {
    this.#engine = engine
    this.#socket = socket
    this.#user = user
    this.#password = password
    socket.on('data', (chunk: Buffer) => this.#take(chunk))
    socket.on('error', () => undefined)
    socket.once('close', () => this.#then(() => this.#leave()))
  }

  #then(act: () => Promise<void>): void {
    this.#work = this.#work.then(act).catch((error: unknown) => {
      console.error(error)
      this.#socket.destroy()
    })
  }

  #take(chunk: Buffer): void {
    this.#bytes = Buffer.concat([this.#bytes, chunk])
    if (this.#bytes.length > MOST_BYTES) return void this.#socket.destroy()
    for (;;) {
      const head = this.#stage === 'greeting' ? 0 : 1
      if (this.#bytes.length < head + 4) return
      const length = head + this.#bytes.readUInt32BE(head)
      if (length < head + 4 || length > MOST_BYTES) return void this.#socket.destroy()
      if (this.#bytes.length < length) return
      const whole = this.#bytes.subarray(0, length)
      this.#bytes = this.#bytes.subarray(length)
      this.#understand(whole)
    }
  }

  #understand(whole: Buffer): void {
    if (this.#stage === 'greeting') return this.#greet(whole)
    const kind = String.fromCharCode(whole[0] ?? 0)
    if (this.#stage === 'password') {
      if (kind !== 'p' || whole.subarray(5, -1).toString() !== this.#password)
        return void this.#socket.end(failure('28P01', 'password authentication failed'))
      this.#stage = 'open'
      return void this.#socket.write(welcome())
    }
    if (kind === 'X') return void this.#socket.end()
    this.#then(() => this.#pass(whole))
  }

  #greet(whole: Buffer): void {
    const code = whole.readUInt32BE(4)
    if (code === SSL_REQUEST || code === GSS_REQUEST) return void this.#socket.write('N')
    if (code === CANCEL_REQUEST) return void this.#socket.destroy()
    const given = whole.subarray(8).toString().split('\0')
    const [user, database] = ['user', 'database'].map((name) => given[given.indexOf(name) + 1])
    if (user !== this.#user) return void this.#socket.end(failure('28P01', 'password authentication failed'))
    if (database !== this.#user)
      return void this.#socket.end(failure('3D000', `database "${database ?? ''}" does not exist`))
    this.#stage = 'password'
    this.#socket.write(ASK_PASSWORD)
  }

  /** The engine has one session only: whoever is in a transaction has it alone, and the site waits. */
  async #enter(): Promise<void> {
    if (this.#release !== undefined) return
    await new Promise<void>((entered) => {
      void this.#engine._runExclusiveTransaction(
        () =>
          new Promise<void>((left) => {
            this.#release = left
            entered()
          }),
      )
    })
    if (this.#settings.length > 0) await this.#say(this.#settings.join(';'))
  }

  async #pass(whole: Buffer): Promise<void> {
    await this.#enter()
    const answer = await this.#engine.execProtocolRaw(whole)
    this.#socket.write(answer)
    if (readiness(answer) !== 'I') return
    const said = whole[0] === 0x51 ? whole.subarray(5, -1).toString() : ''
    if (/^(?:set|reset)\s/i.test(said)) this.#settings.push(said)
    await this.#letGo()
  }

  async #say(sql: string): Promise<void> {
    await this.#engine.execProtocolRaw(message('Q', sql))
  }

  /** The site goes on with settings of its own. */
  async #letGo(): Promise<void> {
    if (this.#settings.length > 0) await this.#say('reset all')
    this.#release?.()
    this.#release = undefined
  }

  async #leave(): Promise<void> {
    if (this.#release === undefined) return
    await this.#say('rollback')
    await this.#letGo()
  }
}

/**
 * The database of the site over the PostgreSQL protocol, version 3, for programs that look after it. The engine has a single session, which its clients
 * have in turn, each with its own settings.
 */
export const databaseServer = (engine: PGlite, user: string, password: string): Server =>
  createServer((socket) => void new Connection(engine, socket, user, password))
