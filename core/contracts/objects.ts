import { z } from 'zod'

const count = z.int().min(0)
/** Decimal, as the interface shows sizes. */
const MB = 1_000_000

/** What an owner sets of the object cache of a site. */
export const ObjectsSettings = z.strictObject({
  enabled: z.boolean().default(false),
  memoryBytes: z
    .int()
    .min(4 * MB)
    .max(64_000 * MB)
    .default(64 * MB)
    .describe('Memory for keys, values and what it takes to find them'),
  largestValueBytes: z
    .int()
    .min(1000)
    .max(64 * MB)
    .default(MB)
    .describe('Larger values are refused'),
  lifetimeS: z
    .int()
    .min(1)
    .max(365 * 86_400)
    .nullable()
    .default(null)
    .describe('Longest time an entry is kept; null: as long as the content system says'),
  packFromBytes: z
    .int()
    .min(500)
    .max(MB)
    .nullable()
    .default(null)
    .describe('Values of so many bytes or more are compressed where that saves a fifth; null: none'),
})
export type ObjectsSettings = z.infer<typeof ObjectsSettings>

/** A site as the object cache knows it. */
export const ObjectsSite = ObjectsSettings.extend({
  siteId: z.string().min(1).max(100),
  name: z.string().min(1).max(100).describe('What clients give as user name'),
  passwordDigest: z
    .string()
    .regex(/^[0-9a-f]{64}$/)
    .describe('SHA-256 of the password, hexadecimal'),
})
export type ObjectsSite = z.infer<typeof ObjectsSite>

/** Everything control tells the object cache. */
export const ObjectsConfig = z.strictObject({
  revision: count,
  sites: z.array(ObjectsSite).max(10_000),
})
export type ObjectsConfig = z.infer<typeof ObjectsConfig>

/** Sums since the object cache began to count. */
export const ObjectsCounts = z.object({
  commands: count,
  hits: count,
  misses: count,
  hitBytes: count,
  writes: count,
  writtenBytes: count,
  evicted: count.describe('Left for lack of memory'),
  evictedUnread: count.describe('Of these, those that nobody had read'),
  expired: count,
  refusedValues: count.describe('Values that were too large'),
})
export type ObjectsCounts = z.infer<typeof ObjectsCounts>

/** What was counted in one minute. */
export const ObjectsMinute = ObjectsCounts.extend({ at: z.int().describe('Begin, epoch ms') })
export type ObjectsMinute = z.infer<typeof ObjectsMinute>

/** Keys that begin alike. */
export const ObjectsGroup = z.object({
  prefix: z.string(),
  entries: count,
  bytes: count,
  unread: count.describe('Entries that nobody has read'),
  unreadBytes: count,
  medianAgeS: count,
  hits: count.describe('Since the object cache began to count'),
  misses: count,
  writes: count,
  evictedUnread: count,
})
export type ObjectsGroup = z.infer<typeof ObjectsGroup>

/** What the object cache of a site holds and does. */
export const ObjectsUsage = z.object({
  since: z.int().describe('Epoch ms'),
  clients: count,
  entries: count,
  bytes: count,
  boundBytes: count,
  counts: ObjectsCounts,
  minutes: z.array(ObjectsMinute).describe('Those in which anything happened, oldest first'),
  groups: z.array(ObjectsGroup),
  wrongPasswords: count,
  outside: z
    .object({ problem: z.string().nullable().describe('What is wrong with that server') })
    .nullable()
    .default(null)
    .describe('Values are kept in another server; null: here'),
  missingUntil: z.int().nullable().default(null).describe('A measurement lets every read miss until then, epoch ms'),
  curve: z
    .array(z.object({ bytes: count, missRatio: z.number() }))
    .describe('Share of reads that would miss, by memory; empty as long as too little was read'),
  missMs: z
    .number()
    .nullable()
    .describe('What a miss costs: median time until the content system stores what it missed, ms'),
})
export type ObjectsUsage = z.infer<typeof ObjectsUsage>

const prefixOfKeys = z.string().max(1000)

/** Empty the object cache of a site, or of keys that begin alike. */
export const ObjectsFlush = z.strictObject({
  prefix: prefixOfKeys.default('').describe('Beginning of the keys; nothing: all of them'),
})
export type ObjectsFlush = z.infer<typeof ObjectsFlush>

/** Keys that were read for a page. */
export const MOST_NOTED = 10_000

/** Empty certain keys. */
export const ObjectsKeysFlush = z.strictObject({ keys: z.array(z.string()).max(MOST_NOTED) })
export type ObjectsKeysFlush = z.infer<typeof ObjectsKeysFlush>

/** Note which keys are read, or tell which were and stop. */
export const ObjectsNoting = z.strictObject({ what: z.enum(['begin', 'end']) })
export type ObjectsNoting = z.infer<typeof ObjectsNoting>
export const ObjectsNoted = z.object({ keys: z.array(z.string()), more: z.boolean() })
export type ObjectsNoted = z.infer<typeof ObjectsNoted>

/** What the owner orders: everything, what begins alike, or what one page reads. */
export const ObjectsFlushOrder = z.union([
  ObjectsFlush.extend({
    fill: z
      .boolean()
      .default(false)
      .describe('Build the most important pages afterwards, for a signed-out visitor, so that it fills again'),
  }),
  z.strictObject({
    page: z
      .string()
      .regex(/^\/(?!\/)\S*$/, 'A path begins with one "/".')
      .max(2000),
  }),
])
export type ObjectsFlushOrder = z.infer<typeof ObjectsFlushOrder>

/** What was emptied. */
export const ObjectsFlushed = z.object({ removed: count })
export type ObjectsFlushed = z.infer<typeof ObjectsFlushed>

/** Look at entries by the beginning of their keys. */
export const ObjectsQuery = z.strictObject({
  prefix: z.string().max(1000).default(''),
  limit: z.coerce.number().int().min(1).max(200).default(50),
})
export type ObjectsQuery = z.infer<typeof ObjectsQuery>

export const ObjectsEntry = z.object({
  key: z.string().describe('One character a byte'),
  db: z.int().default(0),
  type: z.enum(['string', 'hash', 'set']),
  bytes: count,
  ttlS: count.nullable().describe('Seconds until it runs out; null: never'),
  ageS: count.describe('Seconds since it was written'),
  read: z.boolean().describe('Whether anybody has read it'),
})
export type ObjectsEntry = z.infer<typeof ObjectsEntry>

/** What an entry holds; asked for by its owner only. */
export const ObjectsContent = z.object({
  type: z.enum(['string', 'hash', 'set']),
  bytes: count,
  parts: z
    .array(z.object({ name: z.string().nullable().describe('Field of a hash'), text: z.string(), binary: z.boolean() }))
    .describe('The value, the fields of a hash, or the members of a set; what is no text is in hexadecimal'),
  cut: z.boolean().describe('Whether it is longer than what is shown'),
})
export type ObjectsContent = z.infer<typeof ObjectsContent>

export const ObjectsContentQuery = z.strictObject({
  key: z.string().min(1).max(100_000).describe('One character a byte'),
  db: z.coerce.number().int().min(0).max(15).default(0),
})
export type ObjectsContentQuery = z.infer<typeof ObjectsContentQuery>

export const ObjectsEntries = z.object({ entries: z.array(ObjectsEntry), more: z.boolean() })
export type ObjectsEntries = z.infer<typeof ObjectsEntries>

/** How a content system reaches the object cache. */
export const ObjectsConnection = z.object({
  host: z.string(),
  port: z.int(),
  secure: z.boolean().default(false).describe('Whether clients come over TLS'),
  name: z.string(),
  hasPassword: z.boolean().describe('Whether a password was made; it is shown only once'),
})
export type ObjectsConnection = z.infer<typeof ObjectsConnection>

/** The object cache of a site: what is set, how it is reached, what it does. */
export const ObjectsState = z.object({
  settings: ObjectsSettings,
  connection: ObjectsConnection,
  usage: ObjectsUsage.nullable().describe('null: it is off, or does not answer'),
  problem: z.string().nullable().describe('Why it does not answer'),
})
export type ObjectsState = z.infer<typeof ObjectsState>

/** A new password, shown this once. */
export const ObjectsPassword = z.object({
  password: z.string(),
  url: z.string().describe('Address, name and password in one, as many content systems ask for it'),
})
export type ObjectsPassword = z.infer<typeof ObjectsPassword>

/** Let every read of values miss for a while, so that loads with and without the object cache can be compared. */
export const ObjectsMisses = z.strictObject({
  ms: z.int().min(0).max(300_000).describe('For how long at most; 0: no longer'),
})
export type ObjectsMisses = z.infer<typeof ObjectsMisses>

/** Measure what the object cache is worth: loads while it answers and loads while every read misses, in turn. */
export const ObjectsMeasurementOrder = z.strictObject({
  pageIds: z.array(z.string()).min(1, 'Choose at least one page.').max(10),
  visitorIds: z.array(z.string()).min(1, 'Choose at least one visitor.').max(5),
  runs: z.int().min(1).max(50).default(14).describe('Most loads per page, visitor and side'),
  missS: z
    .int()
    .min(1)
    .max(3600)
    .default(300)
    .describe('How long reads may miss in all, seconds; the measurement ends with what it has by then'),
  readsMayMiss: z.literal(true, {
    error: 'Reads of all visitors miss in short windows while this is measured: say that they may.',
  }),
})
export type ObjectsMeasurementOrder = z.infer<typeof ObjectsMeasurementOrder>

/** What the owner decides once it has been measured; it is written into the ledger. */
export const ObjectsDecision = z.strictObject({
  measurementId: z.string(),
  decision: z.enum(['kept', 'switched-off']),
})
export type ObjectsDecision = z.infer<typeof ObjectsDecision>
