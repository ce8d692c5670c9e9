import type { DatabaseEngine, DatabasePlace, DatabaseSecret } from '../../core/contracts/site-databases.ts'
import type { PrivateAddresses } from '../../core/http/private-addresses.ts'

/** A value of a row, as text; null: none. */
export type Value = string | null

/** One connection to a database. Sessions are set to UTC, and strings are quoted as `core/upkeep/sql-dialect.ts` does. */
export interface OpenDatabase {
  readonly engine: DatabaseEngine
  /** Name and version of the server. */
  readonly server: string
  /** All rows of an answer. @throws DatabaseFailure */
  rows(sql: string): Promise<Value[][]>
  /** @returns rows that were changed @throws DatabaseFailure */
  run(sql: string): Promise<number>
  /** Rows of a large answer, some hundred at a time. In a transaction. @throws DatabaseFailure */
  portions(sql: string): AsyncIterable<Value[][]>
  /** Close the connection; never fails. */
  end(): Promise<void>
}

/** Why a database did not do what it was asked; the sentence says what to do. */
export class DatabaseFailure extends Error {
  readonly reason: 'unknown-key' | 'away' | 'lost' | 'locked' | 'refers' | 'too-slow' | 'failed'
  /** Of the key that the SSH server in front showed. */
  readonly fingerprint: string | null
  constructor(sentence: string, reason: DatabaseFailure['reason'] = 'failed', fingerprint: string | null = null) {
    super(sentence)
    this.reason = reason
    this.fingerprint = fingerprint
  }
}

/** What opening a connection needs. */
export interface DatabaseAccess {
  readonly place: DatabasePlace
  readonly secret: DatabaseSecret
  /** Whether the owner has said that private networks may be asked. */
  readonly reach: PrivateAddresses
  readonly allows: 'reading' | 'clean-up'
}

export const CONNECT_TIMEOUT_MS = 20_000
/** Longest a question may take that is not a part of a backup, s. */
export const LONGEST_QUESTION_S = 120
/** Longest we wait for a row that somebody else has locked, s. */
export const LONGEST_LOCK_WAIT_S = 2

const WHY: Readonly<Record<string, string>> = {
  ENOTFOUND: 'There is no such host. Check the spelling.',
  EAI_AGAIN: 'The name could not be looked up. Check the spelling, and that this machine reaches a name server.',
  ECONNREFUSED: 'Nothing answers there. Check the host, the port and the kind of database.',
  ENOENT: 'There is no such socket. Check its path.',
  EACCES: 'The socket may not be used by Zest Lamp. Check its permissions.',
  ETIMEDOUT: 'It did not answer in time. Check the host and the port.',
  DEPTH_ZERO_SELF_SIGNED_CERT:
    'Nobody that this machine trusts vouches for its certificate. Paste the certificate of its authority, or of the server itself.',
  SELF_SIGNED_CERT_IN_CHAIN:
    'Nobody that this machine trusts vouches for its certificate. Paste the certificate of its authority.',
  UNABLE_TO_VERIFY_LEAF_SIGNATURE:
    'Nobody that this machine trusts vouches for its certificate. Paste the certificate of its authority.',
  UNABLE_TO_GET_ISSUER_CERT_LOCALLY:
    'Nobody that this machine trusts vouches for its certificate. Paste the certificate of its authority.',
  ERR_TLS_CERT_ALTNAME_INVALID: 'Its certificate is for another name. Give the name that stands in it.',
  CERT_HAS_EXPIRED: 'Its certificate has expired. Renew it first.',
}

/** What libraries say that hide the code. */
const WHY_IN_WORDS: readonly [RegExp, string][] = [
  [/self-signed certificate|unable to (?:verify|get)/, 'DEPTH_ZERO_SELF_SIGNED_CERT'],
  [/does not match certificate/, 'ERR_TLS_CERT_ALTNAME_INVALID'],
  [/certificate has expired/, 'CERT_HAS_EXPIRED'],
]

/** Nobody answers for now: the server may be starting, or about to. */
const AWAY: ReadonlySet<string> = new Set(['ECONNREFUSED', 'ENOENT', 'ETIMEDOUT', '57P03'])

const LOST = new Set(['ECONNRESET', 'EPIPE', 'PROTOCOL_CONNECTION_LOST', '57P01', '57P02', '08006', '08003'])

/** Whether it is worth trying again in a moment. */
export const isAway = (error: unknown): boolean => AWAY.has(String((error as { code?: unknown } | undefined)?.code))

/** What both kinds of database say in codes of their own. */
export interface ServerCodes {
  readonly wrongPassword: ReadonlySet<string>
  readonly noDatabase: ReadonlySet<string>
  readonly forbidden: ReadonlySet<string>
  readonly locked: ReadonlySet<string>
  readonly refers: ReadonlySet<string>
  readonly tooSlow: ReadonlySet<string>
  readonly full: ReadonlySet<string>
}

/** Why something did not work with a database. @param what it was done with, for the beginning of the sentence */
export const failureOf = (error: unknown, what: string, codes: ServerCodes): DatabaseFailure => {
  if (error instanceof DatabaseFailure) return error
  const { code = '', message } = error as { code?: string; message: string }
  if (LOST.has(code) || /connection (?:terminated|is closed|closed|lost)|closed state|not queryable/i.test(message))
    return new DatabaseFailure(`${what}: The connection was lost on the way.`, 'lost')
  if (isAway(error))
    return new DatabaseFailure(`${what}: ${WHY[code] ?? 'The database is starting. Try again in a moment.'}`, 'away')
  if (codes.wrongPassword.has(code)) return new DatabaseFailure(`${what} does not accept this user and password.`)
  if (codes.noDatabase.has(code)) return new DatabaseFailure(`${what} has no database of this name.`)
  if (codes.forbidden.has(code))
    return new DatabaseFailure(
      `${what}: This user may not do that. Give the right to a user, or connect as another one.`,
    )
  if (codes.locked.has(code)) return new DatabaseFailure(`${what}: The site has locked these rows.`, 'locked')
  if (codes.refers.has(code)) return new DatabaseFailure(`${what}: Other rows point to these.`, 'refers')
  if (codes.tooSlow.has(code)) return new DatabaseFailure(`${what}: The question took too long.`, 'too-slow')
  if (codes.full.has(code)) return new DatabaseFailure(`${what}: The disk of the database is full.`)
  const inWords = WHY_IN_WORDS.find(([pattern]) => pattern.test(message))?.[1]
  return new DatabaseFailure(`${what}: ${WHY[code] ?? WHY[inWords ?? ''] ?? `${message.replace(/\.$/, '')}.`}`)
}
