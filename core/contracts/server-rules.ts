import { z } from 'zod'
import { JobState } from './jobs.ts'

/** Web servers that rules are written for: a rules file in the site's folder, or a file that the server's configuration includes. */
export const ServerKind = z.enum(['apache', 'nginx'])
export type ServerKind = z.infer<typeof ServerKind>

/** Which file rules are written for: nginx has one for all sites, and one that stands in the server block of a site. */
export const RulesKind = z.enum(['apache', 'nginx', 'nginx-site'])
export type RulesKind = z.infer<typeof RulesKind>

/** The web server that reads a file of rules. */
export const serverOf = (kind: RulesKind): ServerKind => (kind === 'apache' ? 'apache' : 'nginx')

/** In the order in which they are written: what refuses or sends on decides first, pages from the disk last. */
export const RULE_IDS = [
  'backDoor',
  'https',
  'compression',
  'lifetimes',
  'fingerprinted',
  'validators',
  'security',
  'preload',
  'storedPages',
] as const
export const RuleId = z.enum(RULE_IDS)
export type RuleId = z.infer<typeof RuleId>

/** Files that pages may name to browsers before their content arrives. */
export const MOST_PRELOADS = 6

/** Longest rules file that is read; those of real sites have a few thousand bytes. */
export const LONGEST_RULES_FILE = 256 * 1024

const HOST_NAME = /^[a-z0-9](?:[a-z0-9.-]*[a-z0-9])?$/i

/** What the owner wants the web server to do. */
export const RulesChoice = z.strictObject({
  kind: RulesKind,
  wanted: z.array(RuleId).max(RULE_IDS.length),
  host: z
    .string()
    .max(253)
    .regex(HOST_NAME, 'Give a host name alone, such as www.example.org.')
    .nullable()
    .default(null)
    .describe('Host name that all visitors are to use; null: nobody is sent on'),
  brotli: z.enum(['there', 'not-there']).default('not-there').describe('Whether the server has a module for Brotli'),
  preloads: z
    .array(
      z
        .string()
        .max(500)
        .regex(/^\/[\w./~%@+?&=:-]*$/, 'Give the path of a file of this site, such as /style.css.'),
    )
    .max(MOST_PRELOADS, `Name at most ${MOST_PRELOADS} files: more would hold each other up.`)
    .default([])
    .describe('Files that every page needs first'),
  leftOut: z.array(z.string().max(500)).max(40).default([]).describe('Lines of the rules that are not wanted'),
})
export type RulesChoice = z.infer<typeof RulesChoice>

/** Files that pages need first, as they were seen when pages were measured. */
export const PreloadProposal = z.object({
  pages: z.int().min(0).describe('Pages that were looked at; 0: none has been measured yet'),
  files: z
    .array(
      z.object({ path: z.string(), kind: z.enum(['style', 'script', 'font']), bytes: z.int().describe('As sent') }),
    )
    .describe('What every one of them needed before it could be shown'),
})
export type PreloadProposal = z.infer<typeof PreloadProposal>

export const RehearsalOrder = z.strictObject({
  choice: RulesChoice,
  present: z
    .string()
    .max(LONGEST_RULES_FILE, 'This file is larger than 256 kB. Give the rules file of the site alone.')
    .describe('The rules file as it is now; in memory only'),
  fetching: z
    .enum(['not-allowed', 'allowed'])
    .default('not-allowed')
    .describe('Whether a web server that is not on this machine may be fetched from its system’s packages'),
})
export type RehearsalOrder = z.infer<typeof RehearsalOrder>

/** What an answer of the rehearsal looked like. */
export const RehearsedAnswer = z.object({
  status: z.int(),
  fields: z.record(z.string(), z.string()),
  bytes: z.int().describe('Of the body, as it came'),
})
export type RehearsedAnswer = z.infer<typeof RehearsedAnswer>

/** What an address is used as. */
export const RehearsedUse = z.enum(['page', 'style', 'script', 'image', 'font', 'other'])
export type RehearsedUse = z.infer<typeof RehearsedUse>

/** One address, asked under the present rules and under the new ones. */
export const RehearsedAddress = z.object({
  path: z.string(),
  use: RehearsedUse,
  before: RehearsedAnswer,
  after: RehearsedAnswer,
  changed: z.array(z.object({ field: z.string(), before: z.string().nullable(), after: z.string().nullable() })),
  broken: z.array(z.string()).describe('What must not change and does, in sentences'),
})
export type RehearsedAddress = z.infer<typeof RehearsedAddress>

/** A line of the rules that breaks something. */
export const Culprit = z.object({
  rule: RuleId,
  line: z.int().nullable().describe('In the whole file, counted from 1; null: the whole of this kind of rules'),
  text: z.string(),
  sentence: z.string(),
})
export type Culprit = z.infer<typeof Culprit>

export const RehearsalResult = z.object({
  outcome: z
    .enum(['good', 'breaks', 'present-broken', 'not-possible', 'no-server'])
    .describe('No-server: it is not on this machine, and may be fetched'),
  sentence: z.string(),
  version: z.string().nullable().describe('Of the web server that was asked'),
  notUsed: z
    .array(z.object({ line: z.int(), text: z.string(), why: z.string() }))
    .describe('Lines of the present file that the rehearsal did without'),
  unlike: z
    .array(z.string())
    .describe('Where the real server answers otherwise than the rehearsal under the present file'),
  addresses: z.array(RehearsedAddress),
  culprits: z.array(Culprit),
})
export type RehearsalResult = z.infer<typeof RehearsalResult>

export const Rehearsal = z.object({
  id: z.string(),
  jobId: z.string(),
  at: z.iso.datetime(),
  by: z.string(),
  choice: RulesChoice,
  presentChecksum: z.string().describe('CRC-32 of the present file with line feeds'),
  rules: z.string().describe('The rules that were tried'),
  result: RehearsalResult.nullable(),
  state: JobState,
})
export type Rehearsal = z.infer<typeof Rehearsal>

/** What is done with the rules file on the web server. */
export const PlacingAction = z.enum(['put', 'take-out'])
export type PlacingAction = z.infer<typeof PlacingAction>

export const PlacingOrder = z.strictObject({
  action: PlacingAction,
  rehearsalId: z
    .string()
    .max(60)
    .nullable()
    .default(null)
    .describe('With put: the rehearsal whose rules are put there'),
  file: z
    .string()
    .trim()
    .max(200)
    .regex(/^(?:\.ht[\w-]*|[\w-]+\.conf)$/, 'Give the name of a rules file, such as .htaccess, without its folder.')
    .default('.htaccess'),
})
export type PlacingOrder = z.infer<typeof PlacingOrder>

/** What came of changing the rules file on the web server. */
export const PlacingResult = z.object({
  outcome: z.enum(['in-force', 'put-back', 'nothing-done', 'unclear']),
  sentence: z.string(),
  holds: z.enum(['as-before', 'new', 'unknown']).describe('What the file is known to hold now'),
  backup: z.string().nullable().describe('Name of the copy beside it'),
  missing: z.array(z.string()).describe('What the rehearsal changed and the real server does not, in sentences'),
})
export type PlacingResult = z.infer<typeof PlacingResult>

export const Placing = z.object({
  id: z.string(),
  jobId: z.string(),
  at: z.iso.datetime(),
  by: z.string(),
  order: PlacingOrder,
  backup: z.string().nullable(),
  result: PlacingResult.nullable(),
  state: JobState,
})
export type Placing = z.infer<typeof Placing>
