import { z } from 'zod'
import { Journey, Side, VisitorProfile } from './measuring.ts'

/** What a page looks like and does, and whether a trial still looks and does the same. */

/** CSS pixels from the top left corner of the page: left, top, width, height. */
export const Box = z.tuple([z.number(), z.number(), z.number(), z.number()])
export type Box = z.infer<typeof Box>

/** Something to see on a page. */
export const SeenElement = z.object({
  key: z.string().describe('Its place in the document: the same on two loads of one page'),
  what: z.enum(['text', 'picture', 'control', 'frame', 'other']),
  box: Box,
  look: z.string().describe('Computed colours, font and display, as one text'),
  text: z.string().describe('Own text, white space collapsed'),
})
export type SeenElement = z.infer<typeof SeenElement>

/** Mean colours of squares of the page: what it looks like, coarse enough to compare. */
export const ColourGrid = z.object({
  size: z.int().describe('Side of a square, CSS pixels'),
  columns: z.int(),
  rows: z.int(),
  rgb: z.string().describe('Three bytes a square, row by row, base64'),
})
export type ColourGrid = z.infer<typeof ColourGrid>

/** What one load of a page showed to somebody who looks closely. */
export const PageSnapshot = z.object({
  status: z.int(),
  title: z.string(),
  console: z.array(z.string()).describe('Errors, without host names'),
  failed: z.array(
    z.object({ path: z.string(), why: z.string(), own: z.boolean().describe('Of this site, not of another host') }),
  ),
  untouched: z.array(SeenElement).describe('Initial viewport before anything was scrolled or touched'),
  elements: z.array(SeenElement).describe('The whole page, once it was scrolled through'),
  pictures: z.array(z.object({ key: z.string(), path: z.string(), shown: z.boolean() })),
  fonts: z.array(z.object({ family: z.string(), loaded: z.boolean() })),
  controls: z.array(z.object({ key: z.string(), name: z.string(), reacted: z.boolean() })),
  moving: z.array(z.string()).describe('Keys of elements that changed by themselves while watched'),
  grid: ColourGrid.nullable(),
  picture: z.string().describe('JPEG, base64'),
  journeys: z.array(z.object({ id: z.string(), name: z.string(), why: z.string().nullable() })),
})
export type PageSnapshot = z.infer<typeof PageSnapshot>

/** Control to lab: look at a page closely. */
export const SnapshotOrder = z.object({
  kind: z.literal('look'),
  id: z.string(),
  url: z.url(),
  visitor: VisitorProfile,
  cookies: z.array(z.object({ name: z.string(), value: z.string() })).default([]),
  connectTo: z.record(z.string(), z.string()).default({}),
  privateAddresses: z
    .enum(['refused', 'allowed'])
    .default('refused')
    .describe('Whether pages may reach into private networks'),
  /** Steps that sign the visitor in before. */
  signIn: Journey.nullable().default(null),
  /** Steps that must succeed. */
  journeys: z.array(Journey).default([]),
  watch: z.object({
    ms: z.int().min(0).describe('How long to watch what changes by itself'),
    until: z.array(z.string()).describe('Enough when one of these has moved'),
  }),
  depth: z
    .enum(['whole', 'quick'])
    .default('whole')
    .describe('Quick: only what shows without touching the page, no picture'),
  timeoutMs: z.int(),
})
export type SnapshotOrder = z.infer<typeof SnapshotOrder>

export const SnapshotOutcome = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('seen'), sight: PageSnapshot }),
  z.object({ kind: z.literal('failed'), why: z.string() }),
])
export type SnapshotOutcome = z.infer<typeof SnapshotOutcome>

export const FindingKind = z.enum([
  'unreachable',
  'console',
  'request',
  'text',
  'gone',
  'unstyled',
  'moved',
  'picture',
  'font',
  'dead',
  'still',
  'pixels',
  'journey',
])
export type FindingKind = z.infer<typeof FindingKind>

/** One thing that is another in trial than live. */
export const SafetyFinding = z.object({
  kind: FindingKind,
  severity: z.enum(['broken', 'differs']),
  sentence: z.string(),
  items: z.array(z.string()).describe('Evidence; the first few'),
  count: z.int(),
  boxes: z.array(Box).default([]).describe('Where, on the page as it is in trial'),
})
export type SafetyFinding = z.infer<typeof SafetyFinding>

export const SafetyResult = z.enum(['intact', 'differs', 'broken', 'unsteady', 'unreachable'])
export type SafetyResult = z.infer<typeof SafetyResult>

/** One page as one visitor. */
export const PageSafety = z.object({
  pageId: z.string(),
  path: z.string(),
  visitorId: z.string(),
  visitorName: z.string(),
  result: SafetyResult,
  sentence: z.string(),
  findings: z.array(SafetyFinding),
  varies: z.array(z.string()).describe('What was another in two loads of the same, and so is not compared'),
  masks: z.array(Box).describe('Parts of the page that look different each time'),
  differing: z.array(Box).describe('Parts that look different in trial'),
})
export type PageSafety = z.infer<typeof PageSafety>

export const SafetyOrder = z.strictObject({
  from: Side.default('live'),
  to: Side.default('trial'),
  pageIds: z.array(z.string()).min(1, 'Choose at least one page.').max(50),
  visitorIds: z.array(z.string()).min(1, 'Choose at least one visitor.').max(10),
  journeyIds: z.array(z.string()).max(20).default([]).describe('Journeys that must still succeed'),
})
export type SafetyOrder = z.infer<typeof SafetyOrder>

/** What may be ordered: sides that are served all the time. */
export const NewSafetyCheck = SafetyOrder.extend({
  from: z.enum(['origin', 'live', 'trial']).default('live'),
  to: z.enum(['origin', 'live', 'trial']).default('trial'),
})

export const SafetyCheckState = z.enum(['queued', 'running', 'done', 'failed', 'cancelled'])

export const SafetyCheck = z.object({
  id: z.string(),
  siteId: z.string(),
  jobId: z.string(),
  at: z.iso.datetime(),
  by: z.string(),
  order: SafetyOrder,
  setupDigest: z.string().describe('Stands for the settings that were checked'),
  current: z.boolean().describe('Whether the trial is still the one that was checked'),
  state: SafetyCheckState,
  error: z.string().nullable(),
  result: SafetyResult.nullable().describe('The worst of all pages; null until there is one'),
  pages: z.array(PageSafety),
})
export type SafetyCheck = z.infer<typeof SafetyCheck>

/** The pictures of one page: before and after; JPEG, base64. */
export const SafetyPictures = z.object({ before: z.string(), after: z.string() })
export type SafetyPictures = z.infer<typeof SafetyPictures>
