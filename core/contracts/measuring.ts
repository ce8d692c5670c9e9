import { z } from 'zod'

/** A point on the globe, degrees. */
export const Place = z.strictObject({
  name: z.string().trim().min(1).max(80),
  latitude: z.number().min(-90).max(90),
  longitude: z.number().min(-180).max(180),
})
export type Place = z.infer<typeof Place>

/** Whom to measure as. */
export const VisitorProfile = z.strictObject({
  id: z.string().max(60),
  name: z.string().trim().min(1, 'Give the visitor a name.').max(80),
  device: z.enum(['phone', 'laptop']),
  width: z.int().min(200).max(4000).describe('CSS pixels'),
  height: z.int().min(200).max(4000).describe('CSS pixels'),
  pixelRatio: z.number().min(0.5).max(4),
  cpuSlowdown: z.number().min(1).max(20).describe('How many times slower than this machine'),
  roundTripMs: z
    .number()
    .min(0)
    .max(2000)
    .describe('Round trip of the access link; what the distance takes comes on top when both places are known'),
  downKbps: z.number().min(50).max(1_000_000),
  upKbps: z.number().min(50).max(1_000_000),
  lossPercent: z.number().min(0).max(20).default(0).describe('Segments lost on the link, each way'),
  place: Place.nullable().default(null).describe('Where the visitor is; null: as near as the link says'),
  journeyId: z
    .string()
    .max(60)
    .nullable()
    .default(null)
    .describe('Steps that sign the visitor in before the page is loaded; null: signed out'),
})
export type VisitorProfile = z.infer<typeof VisitorProfile>

/** First: empty browser. Return: the page was loaded once before. Next: another page of the site was. */
export const Visit = z.enum(['first', 'return', 'next'])
export type Visit = z.infer<typeof Visit>

/** One thing a visitor does on a page, by CSS selector. */
export const JourneyStep = z.discriminatedUnion('do', [
  z.strictObject({
    do: z.literal('open'),
    path: z.string().regex(/^\/(?!\/)\S*$/, 'A path begins with one "/".'),
  }),
  z.strictObject({ do: z.literal('click'), target: z.string().min(1).max(500) }),
  z.strictObject({ do: z.literal('type'), target: z.string().min(1).max(500), text: z.string().max(1000) }),
  z.strictObject({ do: z.literal('see'), target: z.string().min(1).max(500) }),
])
export type JourneyStep = z.infer<typeof JourneyStep>

export const Journey = z.strictObject({
  id: z.string().max(60),
  name: z.string().trim().min(1, 'Give the journey a name.').max(80),
  steps: z.array(JourneyStep).min(1, 'A journey needs a step.').max(50),
})
export type Journey = z.infer<typeof Journey>

/**
 * What is loaded: the origin itself; delivery with the setup that is live, in trial, or was published as that version; the first
 * side once more, to see how far equal loads differ; live while every read of the object cache misses; live through the edge that is nearest to the
 * visitor; or an archive that was read in.
 */
export const Side = z.union([
  z.enum(['origin', 'live', 'trial', 'candidate', 'again', 'archive', 'without-objects', 'through-edges']),
  z.templateLiteral(['version-', z.int().min(1)]),
])
export type Side = z.infer<typeof Side>

const ms = z.number().min(0)

/** One request of a page load; times in ms since the visitor asked for the page. */
export const RequestRecord = z.object({
  url: z.string(),
  method: z.string(),
  type: z
    .string()
    .describe(
      'Destination, as the Fetch standard names it: document, style, script, image, font, …; fetch where it names none',
    ),
  status: z.int().describe('0 when no answer came'),
  protocol: z.string(),
  startMs: ms,
  /** Waiting for a free connection, or until more urgent requests were done. */
  queuedMs: ms,
  connectMs: ms.describe('Name lookup and opening the connection'),
  tlsMs: ms.default(0).describe('Handshake of TLS'),
  /** From the request being sent to the first byte of the answer. */
  waitMs: ms,
  receiveMs: ms,
  sentBytes: z.int().min(0).describe('Over the link, header fields included'),
  decodedBytes: z.int().min(0),
  fromCache: z.boolean().describe('From the browser cache, nothing sent'),
  failure: z.string().nullable(),
  responseFields: z.array(z.tuple([z.string(), z.string()])),
  priority: z
    .enum(['high', 'auto', 'low'])
    .default('auto')
    .describe('As the browser first gave it, in the Fetch standard’s words'),
  urgency: z
    .int()
    .min(0)
    .max(7)
    .nullable()
    .default(null)
    .describe('The same, finer: 0 is the most urgent (RFC 9218); null: not known'),
  initiator: z
    .object({
      kind: z.enum(['navigation', 'parser', 'preload', 'style', 'script', 'other']),
      url: z.string().nullable().describe('The page, style sheet or script that named it'),
    })
    .nullable()
    .default(null),
  blocks: z
    .enum(['rendering', 'parsing', 'nothing'])
    .default('nothing')
    .describe('What had to wait for it: every pixel, the rest of the page, or nothing'),
  connection: z.int().nullable().default(null).describe('Requests with the same number shared a connection'),
})
export type RequestRecord = z.infer<typeof RequestRecord>

/** Layout Instability: one moment at which things moved by themselves. */
export const LayoutShift = z.object({ atMs: ms, value: z.number(), elements: z.array(z.string()) })
export type LayoutShift = z.infer<typeof LayoutShift>

/** What the time to the main content consists of; the four add up to it. */
export const LcpPhases = z.object({
  waitMs: ms.describe('Until the first byte of the page'),
  discoveryMs: ms.describe('Until the browser asked for the main content'),
  downloadMs: ms.describe('Until it had come'),
  renderMs: ms.describe('Until it was shown'),
})
export type LcpPhases = z.infer<typeof LcpPhases>

/** What the time to the first byte consists of; with redirects, of the last request. */
export const TtfbPhases = z.object({ redirectMs: ms, connectMs: ms, tlsMs: ms, serverMs: ms })
export type TtfbPhases = z.infer<typeof TtfbPhases>

/** What one page load showed. */
export const RunMetrics = z.object({
  ttfbMs: ms,
  fcpMs: ms.nullable(),
  lcpMs: ms.nullable(),
  lcpElement: z.string().nullable(),
  lcpUrl: z.string().nullable(),
  tbtMs: ms.nullable(),
  cls: z.number().min(0).nullable(),
  loadedMs: ms.describe('When the last request had ended and the main content was shown, once the page had been quiet'),
  requests: z.int(),
  sentBytes: z.int(),
  decodedBytes: z.int(),
  failedRequests: z.int(),
  consoleErrors: z.int().nullable(),
  ttfbPhases: TtfbPhases.nullable().default(null),
  lcpPhases: LcpPhases.nullable().default(null),
  shifts: z.array(LayoutShift).default([]),
})
export type RunMetrics = z.infer<typeof RunMetrics>

/** Work of the main thread in one go, as it would take without the visitor's slow-down. */
export const MainThreadTask = z.object({
  kind: z.enum(['parse', 'script', 'style', 'layout', 'paint', 'other']),
  url: z.string().nullable().describe('Of the script or style sheet it belongs to'),
  startMs: ms,
  nativeMs: ms,
})
export type MainThreadTask = z.infer<typeof MainThreadTask>

export const UnusedBytes = z.object({
  url: z.string(),
  type: z.enum(['style', 'script']),
  inline: z.boolean(),
  totalBytes: z.int(),
  unusedBytes: z.int(),
})
export type UnusedBytes = z.infer<typeof UnusedBytes>

export const ShownImage = z.object({
  url: z.string(),
  naturalWidth: z.int(),
  naturalHeight: z.int(),
  shownWidth: z.number().describe('CSS pixels'),
  shownHeight: z.number(),
  inFirstView: z.boolean(),
  lazy: z.boolean(),
  sized: z.boolean().describe('Width and height are known before it comes'),
  widthHeld: z
    .boolean()
    .optional()
    .describe(
      'A width that is written on it, or one in pixels in a style, decides how wide it is, not the pixels it has',
    ),
})
export type ShownImage = z.infer<typeof ShownImage>

export const UsedFont = z.object({
  family: z.string(),
  url: z.string().nullable(),
  display: z.string(),
  blockedMs: ms.describe('How long text in it stayed invisible'),
})
export type UsedFont = z.infer<typeof UsedFont>

/** Whether anything used a script of the page. */
export const ScriptUse = z.object({
  url: z.string(),
  use: z
    .enum(['ran', 'acts', 'mentioned', 'asks', 'unused'])
    .describe(
      'A part of it ran; it listens or changed something while it was read; other code mentions what it offers; it mentions what others offer; or none of these',
    ),
  globals: z.array(z.string()).describe('Names that it offers to other scripts'),
})
export type ScriptUse = z.infer<typeof ScriptUse>

/** What a load with all instruments on showed besides; such a load does not count in comparisons. */
export const RunDetails = z.object({
  visual: z
    .object({
      curve: z.array(z.object({ atMs: ms, share: z.number().min(0).max(1) })),
      meanMs: ms.describe(
        'Area above the curve: how long, on average, a pixel of the initial viewport was not yet final',
      ),
    })
    .nullable(),
  unused: z.array(UnusedBytes),
  scripts: z.array(ScriptUse).optional().describe('External scripts; not in loads from before this was recorded'),
  images: z.array(ShownImage),
  fonts: z.array(UsedFont),
  dom: z.object({ nodes: z.int(), depth: z.int() }),
  console: z.array(z.object({ text: z.string(), url: z.string().nullable() })),
  tasks: z.array(MainThreadTask),
  offsets: z
    .record(z.string(), z.number().min(0).max(1))
    .describe('How far into the HTML each address is named, by address'),
  firstView: z
    .object({
      selectors: z.array(z.string()).describe('Of style rules that fit something in the initial viewport'),
      fonts: z.array(z.string()).describe('Addresses of fonts of the initial viewport, the largest text first'),
      later: z
        .array(z.string())
        .optional()
        .describe('Addresses of pictures that had not come by then, so that nobody saw them'),
    })
    .nullable()
    .default(null),
})
export type RunDetails = z.infer<typeof RunDetails>

/** The initial viewport at an instant; JPEG in base64. */
export const Frame = z.object({ atMs: ms, jpeg: z.string() })
export type Frame = z.infer<typeof Frame>

export const RunOutcome = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('measured'),
    metrics: RunMetrics,
    requests: z.array(RequestRecord),
    details: RunDetails.nullable().default(null),
    frames: z.array(Frame).default([]),
  }),
  z.object({ kind: z.literal('failed'), why: z.string() }),
])
export type RunOutcome = z.infer<typeof RunOutcome>

/** Control to lab: one page load. */
export const RunOrder = z.object({
  id: z.string(),
  url: z.url(),
  visitor: VisitorProfile,
  visit: Visit,
  /** The page that was looked at before, for a visit of kind "next". */
  previousUrl: z.url().nullable().default(null),
  journey: Journey.nullable().default(null),
  cookies: z
    .array(z.object({ name: z.string(), value: z.string() }))
    .default([])
    .describe('Set for the host before anything is loaded'),
  instruments: z
    .enum(['light', 'all'])
    .default('light')
    .describe('All: frames, unused bytes and tasks too, which cost time'),
  roundTripsByHost: z.record(z.string(), z.number()).default({}),
  connectTo: z.record(z.string(), z.string()).default({}).describe('Where to connect for "host:port"'),
  privateAddresses: z
    .enum(['refused', 'allowed'])
    .default('refused')
    .describe('Whether pages may reach into private networks'),
  /** Longest wait for the page to become quiet, ms. */
  timeoutMs: z.int(),
})
export type RunOrder = z.infer<typeof RunOrder>
