import { randomInt } from 'node:crypto'
import {
  parseInt64,
  Refusal,
  NOT_AN_INTEGER,
  SYNTAX_ERROR,
  type Call,
  type Command,
  type ReadListener,
} from '../commands/call.ts'
import { refusalOf } from '../commands/refused.ts'
import { VALUE_READS } from '../commands/value-reads.ts'
import { ValueTooLarge } from '../keyspace/bounds.ts'
import { ReplyTooLarge, ReplyWriter } from '../resp/reply-writer.ts'
import type { Asked, ClientOfOutside } from '../sites/outside-values.ts'
import type { SiteObjects } from '../sites/site-objects.ts'
import { ReplyOrder } from './reply-order.ts'
import {
  BEFORE_AUTH,
  BY_THEMSELVES,
  COMMANDS,
  describeCommands,
  NEVER_QUEUED,
  SESSION_COMMANDS,
} from './session-commands.ts'

const UNCOUNTED: ReadListener = { onHit: () => undefined, onMiss: () => undefined }

/** Clients read from it which commands and options they may use. */
const COMMAND_LEVEL = '7.0.0'
const DATABASES = 16n
const NO_AUTH = 'NOAUTH Authentication required.'
const WRONG_PASSWORD = 'WRONGPASS invalid username-password pair or user is disabled.'
/** Keys that one client watches. */
const MOST_WATCHED = 10_000
/** Commands that wait in a transaction, and bytes of them. */
const MOST_QUEUED = 100_000
const MOST_QUEUED_BYTES = 64 * 1024 * 1024

/** Commands whose replies have to come from elsewhere, and bytes of these: with more of one client the rest waits. */
const MOST_UNDER_WAY = 64
const MOST_UNDER_WAY_BYTES = 1_000_000

/** Finds the site of a name and password. @param name undefined: the password alone has to do */
export type Authenticate = (name: string | undefined, password: Buffer) => SiteObjects | undefined

interface Transaction {
  readonly queued: Buffer[][]
  bytes: number
  /** A command was wrong already when it was queued. */
  broken: boolean
}

/** What a session asks of its connection. */
export interface SessionEnd {
  /** No more is read; what was written goes out. */
  readonly end: () => void
  /** A wrong password was given. */
  readonly refused: () => void
  readonly authenticated: (site: SiteObjects) => void
  /** Replies have come that had to be waited for. */
  readonly replied: () => void
}

const random = (): number => randomInt(2 ** 32) / 2 ** 32

let sessions = 0

/** One client: who it is, which database it uses, and what it has begun. */
export class Session {
  readonly reply = new ReplyWriter()
  readonly id = ++sessions
  readonly #authenticate: Authenticate
  readonly #connection: SessionEnd
  readonly #now: () => number
  #site: SiteObjects | undefined
  #db = 0
  #name = ''
  #transaction: Transaction | undefined
  /** Something that it watches has changed. */
  #watched: Set<string> | undefined
  #disturbed = false
  readonly #order = new ReplyOrder(this.reply)
  /** Where the site's values are kept in another server. */
  #values: ClientOfOutside | undefined
  /** A command that waits for the replies of all earlier ones. */
  #stashed: Buffer[] | undefined
  /** One is carried out that later ones wait for. */
  #byItself = false
  #closed = false

  constructor(authenticate: Authenticate, connection: SessionEnd, now: () => number) {
    this.#authenticate = authenticate
    this.#connection = connection
    this.#now = now
  }

  get site(): SiteObjects | undefined {
    return this.#site
  }

  /** Whether no further command may be carried out before replies have come. */
  get isHeld(): boolean {
    const { length, bytes } = this.#order
    return (
      this.#byItself ||
      (this.#stashed !== undefined && length > 0) ||
      length >= MOST_UNDER_WAY ||
      (length > 0 && bytes >= MOST_UNDER_WAY_BYTES)
    )
  }

  /** Whether replies have not come yet, or have not gone out. */
  get owesReplies(): boolean {
    return this.#order.length > 0
  }

  /** Replies that can go out, some at a time. @param most bytes after which the rest waits */
  takeReplies(most: number): Buffer | undefined {
    return this.#order.take(most)
  }

  /** Tell the client of an error that is no reply to a command. */
  say(sentence: string): void {
    const held = this.reply.waiting
    this.reply.error(sentence)
    if (this.#order.length > 0) this.#order.moveBehind(held)
  }

  /** Carry out one command, and write its reply. */
  execute(args: Buffer[]): void {
    if (this.#order.length > 0 && BY_THEMSELVES.has(args[0]?.toString('latin1').toUpperCase() ?? '')) {
      this.#stashed = args.map((one) => Buffer.from(one))
      return
    }
    const held = this.reply.waiting
    this.#attempt(args)
    if (this.#order.length > 0) this.#order.moveBehind(held)
  }

  /** Carry out a command; where it cannot be done, the reply says why. */
  #attempt(args: Buffer[]): void {
    const held = this.reply.waiting
    try {
      this.#execute(args)
    } catch (error) {
      this.#refuse(error, held)
    }
  }

  /** @param held what was written behind so many bytes is taken back */
  #refuse(error: unknown, held: number): void {
    this.reply.truncate(held)
    if (error instanceof ValueTooLarge) this.#site?.usage.onRefused()
    if (error instanceof Refusal) this.reply.error(error.message)
    else if (error instanceof ValueTooLarge || error instanceof ReplyTooLarge) this.reply.error(`ERR ${error.message}`)
    else throw error
  }

  #execute(args: Buffer[]): void {
    const given = args[0]?.toString('latin1') ?? ''
    const name = given.toUpperCase()
    if (this.#site === undefined && !BEFORE_AUTH.has(name)) throw new Refusal(NO_AUTH)
    const command = COMMANDS.get(name)
    const spec = command ?? SESSION_COMMANDS.get(name)
    if (spec === undefined) throw this.#broken(refusalOf(name, given))
    const fits = spec.arity < 0 ? args.length >= -spec.arity : args.length === spec.arity
    if (!fits) {
      const sentence = `wrong number of arguments for '${name.toLowerCase()}' command`
      throw name === 'EXEC' ? this.#abort(sentence) : this.#broken(`ERR ${sentence}`)
    }
    if (this.#transaction !== undefined && !NEVER_QUEUED.has(name)) return this.#queue(this.#transaction, args)
    if (command === undefined) this.#own(name, args)
    else this.#run(name, command, args)
  }

  /** A wrong command breaks the transaction that it stands in. */
  #broken(sentence: string): Refusal {
    if (this.#transaction !== undefined) this.#transaction.broken = true
    return new Refusal(sentence)
  }

  #abort(sentence: string): Refusal {
    this.#transaction = undefined
    this.#unwatch()
    return new Refusal(`EXECABORT Transaction discarded because of: ${sentence}`)
  }

  #run(name: string, command: Command, args: readonly Buffer[]): void {
    const site = this.#site
    if (site === undefined) throw new Refusal(NO_AUTH)
    site.usage.onCommand()
    const values = this.#values
    if (values !== undefined) {
      const place = this.#later(BY_THEMSELVES.has(name))
      try {
        place.expect(values.run({ name, command, args, db: this.#db }, this.reply.version, place.give))
      } catch (error) {
        // Nothing was sent: the reply is written as any other.
        place.cancel()
        throw error
      }
      return
    }
    const now = this.#now()
    const readsValues = VALUE_READS.has(name)
    const misses = readsValues && site.missesReads(now)
    const call: Call = {
      args,
      keys: misses ? site.nothing : site.keys,
      db: this.#db,
      reply: this.reply,
      now,
      // Such a miss says nothing of the memory or of the keys.
      reads: misses ? UNCOUNTED : readsValues ? site.readsOf(this.#db, now) : site.usage,
      random,
    }
    command.run(call)
  }

  /** A reply will come from elsewhere. */
  #later(byItself: boolean): {
    readonly expect: (bytes: number) => void
    readonly give: (reply: Buffer) => void
    readonly cancel: () => void
  } {
    const { expect, give, cancel } = this.#order.open()
    this.#byItself = byItself
    return {
      expect,
      cancel: () => {
        this.#byItself = false
        cancel()
      },
      give: (reply) => {
        give(reply)
        if (byItself) this.#byItself = false
        if (!this.#closed) this.#connection.replied()
      },
    }
  }

  /** Go on with what had to wait, once nothing is under way. @returns whether there was anything */
  goOn(): boolean {
    const args = this.#stashed
    if (args === undefined || this.#order.length > 0) return false
    this.#stashed = undefined
    this.execute(args)
    return true
  }

  #queue(transaction: Transaction, args: Buffer[]): void {
    const copies = args.map((one) => Buffer.from(one))
    transaction.bytes += copies.reduce((sum, one) => sum + one.length + 64, 0)
    if (transaction.queued.length >= MOST_QUEUED || transaction.bytes > MOST_QUEUED_BYTES)
      throw this.#broken(`ERR a transaction takes ${MOST_QUEUED} commands at most. Send it in parts.`)
    transaction.queued.push(copies)
    this.reply.simple('QUEUED')
  }

  #own(name: string, args: readonly Buffer[]): void {
    const words = args.map((one) => one.toString('latin1'))
    const first = words[1] ?? ''
    switch (name) {
      case 'PING':
        if (args.length > 2) throw new Refusal("ERR wrong number of arguments for 'ping' command")
        return args.length === 1 ? this.reply.simple('PONG') : this.reply.bulkText(first)
      case 'ECHO':
        return this.reply.bulkText(first)
      case 'SELECT':
        return this.#select(first)
      case 'AUTH':
        return this.#auth(args)
      case 'HELLO':
        return this.#hello(args)
      case 'QUIT':
        this.reply.simple('OK')
        return this.#connection.end()
      case 'RESET':
        return this.#reset()
      case 'CLIENT':
        return this.#client(words)
      case 'COMMAND':
        return describeCommands(this.reply, words)
      case 'INFO':
        return this.reply.verbatim(this.#site?.info() ?? '')
      case 'MULTI':
        if (this.#transaction !== undefined) throw new Refusal('ERR MULTI calls can not be nested')
        this.#transaction = { queued: [], bytes: 0, broken: false }
        return this.reply.simple('OK')
      case 'EXEC':
        return this.#exec()
      case 'DISCARD':
        if (this.#transaction === undefined) throw new Refusal('ERR DISCARD without MULTI')
        this.#transaction = undefined
        this.#unwatch()
        return this.reply.simple('OK')
      case 'WATCH':
        return this.#watch(args.slice(1))
      default:
        this.#unwatch()
        return this.reply.simple('OK')
    }
  }

  #select(word: string): void {
    const db = parseInt64(word)
    if (db === undefined) throw new Refusal(NOT_AN_INTEGER)
    if (db < 0n || db >= DATABASES) throw new Refusal('ERR DB index is out of range')
    this.#db = Number(db)
    this.reply.simple('OK')
  }

  #enter(name: string | undefined, password: Buffer): void {
    const site = this.#authenticate(name, password)
    if (site === undefined) {
      this.#connection.refused()
      throw new Refusal(WRONG_PASSWORD)
    }
    if (site !== this.#site) {
      this.#leave()
      this.#values = site.outside?.newClient()
    }
    this.#site = site
    this.#connection.authenticated(site)
  }

  #auth(args: readonly Buffer[]): void {
    const [, first, second] = args
    if (first === undefined || args.length > 3) throw new Refusal(SYNTAX_ERROR)
    this.#enter(second === undefined ? undefined : first.toString('latin1'), second ?? first)
    this.reply.simple('OK')
  }

  #hello(args: readonly Buffer[]): void {
    const words = args.map((one) => one.toString('latin1'))
    let version: 2 | 3 = this.reply.version
    if (words[1] !== undefined) {
      const wanted = parseInt64(words[1])
      if (wanted === undefined) throw new Refusal('ERR Protocol version is not an integer or out of range')
      if (wanted !== 2n && wanted !== 3n) throw new Refusal('NOPROTO unsupported protocol version')
      version = wanted === 2n ? 2 : 3
    }
    for (let at = 2; at < words.length; at++) {
      const option = words[at]?.toUpperCase()
      const [first, second] = [args[at + 1], args[at + 2]]
      if (option === 'AUTH' && first !== undefined && second !== undefined) {
        this.#enter(first.toString('latin1'), second)
        at += 2
      } else if (option === 'SETNAME' && first !== undefined) {
        this.#name = first.toString('latin1')
        at++
      } else throw new Refusal(`ERR Syntax error in HELLO option '${words[at]}'`)
    }
    if (this.#site === undefined)
      throw new Refusal(
        'NOAUTH HELLO must be called with the client already authenticated, otherwise the HELLO <proto> AUTH <user> <pass> option can be used to authenticate the client and select the RESP protocol version at the same time',
      )
    this.reply.version = version
    const facts: readonly (readonly [string, string | number])[] = [
      ['server', 'zest-lamp'],
      ['version', COMMAND_LEVEL],
      ['proto', version],
      ['id', this.id],
      ['mode', 'standalone'],
      ['role', 'master'],
    ]
    this.reply.map(facts.length + 1)
    for (const [fact, value] of facts) {
      this.reply.bulkText(fact)
      if (typeof value === 'number') this.reply.integer(value)
      else this.reply.bulkText(value)
    }
    this.reply.bulkText('modules')
    this.reply.array(0)
  }

  #reset(): void {
    this.#leave()
    this.#name = ''
    this.reply.version = 2
    this.reply.simple('RESET')
  }

  #client(words: readonly string[]): void {
    const [, what = '', value = ''] = words
    switch (what.toUpperCase()) {
      case 'ID':
        return this.reply.integer(this.id)
      case 'GETNAME':
        return this.#name === '' ? this.reply.nil() : this.reply.bulkText(this.#name)
      case 'SETNAME':
        if (/[\s\n]/.test(value))
          throw new Refusal('ERR Client names cannot contain spaces, newlines or special characters.')
        this.#name = value
        return this.reply.simple('OK')
      case 'SETINFO':
      case 'NO-EVICT':
      case 'NO-TOUCH':
        return this.reply.simple('OK')
      case 'INFO':
        return this.reply.verbatim(`id=${this.id} name=${this.#name} db=${this.#db} resp=${this.reply.version}\n`)
      default:
        throw new Refusal(`ERR CLIENT ${what} is not offered here: each client sees only itself.`)
    }
  }

  #watch(names: readonly Buffer[]): void {
    if (this.#transaction !== undefined) throw new Refusal('ERR WATCH inside MULTI is not allowed')
    if (this.#values !== undefined)
      return this.#values.watch(names, this.#db, this.reply.version, this.#later(true).give)
    const keys = names.map((name) => name.toString('latin1'))
    this.#watched ??= new Set()
    if (this.#watched.size + keys.length > MOST_WATCHED)
      throw new Refusal(`ERR a client watches ${MOST_WATCHED} keys at most.`)
    for (const key of keys) {
      this.#watched.add(`${this.#db} ${key}`)
      this.#site?.watch(`${this.#db} ${key}`, this)
    }
    this.reply.simple('OK')
  }

  /** Something that this client watches has changed. */
  disturb(): void {
    this.#disturbed = true
  }

  #unwatch(): void {
    this.#values?.unwatch()
    for (const key of this.#watched ?? []) this.#site?.unwatch(key, this)
    this.#watched = undefined
    this.#disturbed = false
  }

  #exec(): void {
    const transaction = this.#transaction
    if (transaction === undefined) throw new Refusal('ERR EXEC without MULTI')
    this.#transaction = undefined
    const disturbed = this.#disturbed
    const values = this.#values
    if (values !== undefined && !transaction.broken) return this.#execOutside(values, transaction.queued)
    this.#unwatch()
    if (transaction.broken) throw new Refusal('EXECABORT Transaction discarded because of previous errors.')
    if (disturbed) return this.reply.nilArray()
    this.reply.array(transaction.queued.length)
    for (const args of transaction.queued) this.#attempt(args)
  }

  #execOutside(values: ClientOfOutside, queued: readonly Buffer[][]): void {
    const steps = queued.map((args): Asked | Buffer => {
      const name = args[0]?.toString('latin1').toUpperCase() ?? ''
      const command = COMMANDS.get(name)
      this.#site?.usage.onCommand()
      if (command !== undefined) return { name, command, args, db: this.#db }
      const held = this.reply.waiting
      try {
        this.#own(name, args)
      } catch (error) {
        this.#refuse(error, held)
      }
      return this.reply.takeFrom(held)
    })
    values.exec(steps, this.reply.version, this.#later(true).give)
  }

  #leave(): void {
    this.#unwatch()
    this.#transaction = undefined
    this.#site = undefined
    this.#values = undefined
    this.#db = 0
  }

  /** The client is gone. */
  close(): void {
    this.#closed = true
    this.#leave()
  }
}
