import { randomInt } from 'node:crypto'
import { EXPIRY_COMMANDS } from '../commands/expiry.ts'
import { HASH_COMMANDS } from '../commands/hashes.ts'
import { KEY_COMMANDS } from '../commands/keys.ts'
import { SET_COMMANDS } from '../commands/sets.ts'
import { STRING_COMMANDS } from '../commands/strings.ts'
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
import { ValueTooLarge } from '../keyspace/keyspace.ts'
import { ReplyTooLarge, ReplyWriter } from '../resp/reply-writer.ts'
import type { SiteObjects } from '../sites/site-objects.ts'

const UNCOUNTED: ReadListener = { onHit: () => undefined, onMiss: () => undefined }

/** Commands that work on a site's keys. */
const COMMANDS: ReadonlyMap<string, Command> = new Map(
  Object.entries({ ...STRING_COMMANDS, ...EXPIRY_COMMANDS, ...KEY_COMMANDS, ...HASH_COMMANDS, ...SET_COMMANDS }),
)

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
}

/** Commands about the connection itself. */
const SESSION_COMMANDS: ReadonlyMap<string, { readonly arity: number }> = new Map(
  Object.entries({
    AUTH: -2,
    HELLO: -1,
    PING: -1,
    ECHO: 2,
    SELECT: 2,
    QUIT: -1,
    RESET: 1,
    CLIENT: -2,
    COMMAND: -1,
    INFO: -1,
    MULTI: 1,
    EXEC: 1,
    DISCARD: 1,
    WATCH: -2,
    UNWATCH: 1,
  }).map(([name, arity]) => [name, { arity }]),
)
/** Carried out at once, also within a transaction. */
const NEVER_QUEUED = new Set(['MULTI', 'EXEC', 'DISCARD', 'WATCH', 'QUIT', 'RESET'])
const BEFORE_AUTH = new Set(['AUTH', 'HELLO', 'QUIT', 'RESET'])

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

  constructor(authenticate: Authenticate, connection: SessionEnd, now: () => number) {
    this.#authenticate = authenticate
    this.#connection = connection
    this.#now = now
  }

  get site(): SiteObjects | undefined {
    return this.#site
  }

  /** Carry out one command, and write its reply. */
  execute(args: Buffer[]): void {
    const held = this.reply.waiting
    try {
      this.#execute(args)
    } catch (error) {
      this.reply.truncate(held)
      if (error instanceof ValueTooLarge) this.#site?.usage.onRefused()
      if (error instanceof Refusal) this.reply.error(error.message)
      else if (error instanceof ValueTooLarge || error instanceof ReplyTooLarge)
        this.reply.error(`ERR ${error.message}`)
      else throw error
    }
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
        return this.#describe(words)
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
        return this.#watch(words.slice(1))
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
    if (site !== this.#site) this.#leave()
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

  #describe(words: readonly string[]): void {
    const what = words[1]?.toUpperCase()
    if (what === 'COUNT') return this.reply.integer(COMMANDS.size + SESSION_COMMANDS.size)
    if (what === 'DOCS') return this.reply.map(0)
    if (what !== undefined && what !== 'INFO' && what !== 'LIST')
      throw new Refusal(`ERR COMMAND ${words[1]} is not offered here.`)
    const all = [...SESSION_COMMANDS, ...COMMANDS]
    this.reply.array(all.length)
    for (const [name, { arity }] of all) {
      if (what === 'LIST') this.reply.bulkText(name.toLowerCase())
      else {
        this.reply.array(2)
        this.reply.bulkText(name.toLowerCase())
        this.reply.integer(arity)
      }
    }
  }

  #watch(keys: readonly string[]): void {
    if (this.#transaction !== undefined) throw new Refusal('ERR WATCH inside MULTI is not allowed')
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
    for (const key of this.#watched ?? []) this.#site?.unwatch(key, this)
    this.#watched = undefined
    this.#disturbed = false
  }

  #exec(): void {
    const transaction = this.#transaction
    if (transaction === undefined) throw new Refusal('ERR EXEC without MULTI')
    this.#transaction = undefined
    const disturbed = this.#disturbed
    this.#unwatch()
    if (transaction.broken) throw new Refusal('EXECABORT Transaction discarded because of previous errors.')
    if (disturbed) return this.reply.nilArray()
    this.reply.array(transaction.queued.length)
    for (const args of transaction.queued) this.execute(args)
  }

  #leave(): void {
    this.#unwatch()
    this.#transaction = undefined
    this.#site = undefined
    this.#db = 0
  }

  /** The client is gone. */
  close(): void {
    this.#leave()
  }
}
