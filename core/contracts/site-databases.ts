import { z } from 'zod'
import { FileSecret } from './file-connections.ts'

/** Which manner of SQL a database speaks; MySQL counts as MariaDB. */
export const DatabaseEngine = z.enum(['postgresql', 'mariadb'])
export type DatabaseEngine = z.infer<typeof DatabaseEngine>

const OneLine = z.string().trim().max(500)
const HostAndPort = OneLine.regex(
  /^[\w.-]*(?::\d{1,5})?$|^\[[\da-f:]+\](?::\d{1,5})?$/i,
  'Give a host name, and a port behind a colon where it is not the usual one.',
)

/** An SSH server in front of the database, for databases that answer only their own machine. */
export const DatabaseTunnel = z.strictObject({
  address: HostAndPort.min(1, 'Give the SSH server’s host name.'),
  user: OneLine.default(''),
  fingerprint: z.string().max(100).nullable().default(null).describe('Host key that the owner has confirmed'),
})

/** Where the database of a site is. */
export const DatabasePlace = z
  .strictObject({
    engine: DatabaseEngine,
    address: HostAndPort.default('').describe(
      'Host name and perhaps port, as the SSH server sees it where there is one',
    ),
    socket: OneLine.regex(/^(\/[^\0]*)?$/, 'Give the whole path of the socket, beginning with “/”.')
      .default('')
      .describe('Unix socket on this machine instead of an address'),
    database: OneLine.min(1, 'Give the name of the database.'),
    user: OneLine.min(1, 'Give the user that reads the database.'),
    encryption: z.enum(['tls', 'none']).default('tls'),
    authority: z
      .string()
      .max(100_000)
      .default('')
      .describe('Certificates in PEM that vouch for the server; empty: those of this machine'),
    tunnel: DatabaseTunnel.nullable().default(null),
  })
  .refine(({ address, socket }) => address !== '' || socket !== '', {
    error: 'Give the address of the database, or its socket.',
    path: ['address'],
  })
  .refine(({ authority }) => authority.trim() === '' || /-----BEGIN CERTIFICATE-----/.test(authority), {
    error: 'A certificate begins with -----BEGIN CERTIFICATE-----.',
    path: ['authority'],
  })
export type DatabasePlace = z.infer<typeof DatabasePlace>

export const DatabaseSecret = z.strictObject({
  password: z.string().max(1000).default(''),
  tunnel: FileSecret.default({ kind: 'none' }),
})
export type DatabaseSecret = z.infer<typeof DatabaseSecret>

/** The database of the site, or a server that backups are restored on for proof. */
export const DatabaseUse = z.enum(['site', 'proof'])
export type DatabaseUse = z.infer<typeof DatabaseUse>

/** What the owner allows: looking only, or clean-ups too. */
export const DatabaseAllowance = z.enum(['reading', 'clean-up'])

/** A database connection as the owner gives it. */
export const DatabaseConnectionDraft = z.strictObject({
  place: DatabasePlace,
  secret: DatabaseSecret.nullable().default(null).describe('Null: as before'),
  keep: z.enum(['encrypted', 'not-kept']).default('encrypted').describe('Not kept: in memory until the next restart'),
  allows: DatabaseAllowance.default('reading'),
})
export type DatabaseConnectionDraft = z.infer<typeof DatabaseConnectionDraft>

/** What came of trying a database connection. */
export const DatabaseTrial = z.object({
  outcome: z.enum(['good', 'unknown-key', 'failed']),
  sentence: z.string(),
  fingerprint: z.string().nullable().describe('Of the key that the SSH server showed'),
  mayChange: z.boolean().nullable().describe('Whether this user may delete rows; null: not known'),
})
export type DatabaseTrial = z.infer<typeof DatabaseTrial>

export const DatabaseConnectionInfo = z.object({
  place: DatabasePlace.nullable(),
  secret: z.enum(['encrypted', 'in-memory', 'missing']),
  allows: DatabaseAllowance,
  trial: DatabaseTrial.nullable(),
})
export type DatabaseConnectionInfo = z.infer<typeof DatabaseConnectionInfo>
