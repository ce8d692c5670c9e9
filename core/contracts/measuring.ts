import { z } from 'zod'

/** Whom to measure as. */
export const VisitorProfile = z.strictObject({
  id: z.string().max(60),
  name: z.string().trim().min(1).max(80),
  device: z.enum(['phone', 'laptop']),
  width: z.int().min(200).max(4000).describe('CSS pixels'),
  height: z.int().min(200).max(4000).describe('CSS pixels'),
  pixelRatio: z.number().min(0.5).max(4),
  cpuSlowdown: z.number().min(1).max(20).describe('How many times slower than this machine'),
  roundTripMs: z.number().min(0).max(2000).describe('To the server and back, access link included'),
  downKbps: z.number().min(50).max(1_000_000),
  upKbps: z.number().min(50).max(1_000_000),
})
export type VisitorProfile = z.infer<typeof VisitorProfile>

export const Visit = z.enum(['first', 'return'])
export type Visit = z.infer<typeof Visit>

/** Where a page is fetched from: the origin itself, or delivery with one of the two setups. */
export const Side = z.enum(['origin', 'live', 'trial'])
export type Side = z.infer<typeof Side>

const ms = z.number().min(0)

/** One request of a page load; times in ms since the visitor asked for the page. */
export const RequestRecord = z.object({
  url: z.string(),
  method: z.string(),
  type: z.string().describe('Document, Stylesheet, Script, Image, Font, …'),
  status: z.int().describe('0 when no answer came'),
  protocol: z.string(),
  startMs: ms,
  /** Waiting for a free connection, and opening one. */
  queuedMs: ms,
  connectMs: ms,
  /** From the request being sent to the first byte of the answer. */
  waitMs: ms,
  receiveMs: ms,
  sentBytes: z.int().min(0).describe('Over the link, header fields included'),
  decodedBytes: z.int().min(0),
  fromCache: z.boolean().describe('From the browser cache, nothing sent'),
  failure: z.string().nullable(),
  responseFields: z.array(z.tuple([z.string(), z.string()])),
})
export type RequestRecord = z.infer<typeof RequestRecord>

/** What one page load showed. */
export const RunMetrics = z.object({
  ttfbMs: ms,
  fcpMs: ms.nullable(),
  lcpMs: ms.nullable(),
  lcpElement: z.string().nullable(),
  lcpUrl: z.string().nullable(),
  tbtMs: ms,
  cls: z.number().min(0),
  loadedMs: ms.describe(
    'When the last request had ended and the main content was shown, once the page had been quiet',
  ),
  requests: z.int(),
  sentBytes: z.int(),
  decodedBytes: z.int(),
  failedRequests: z.int(),
  consoleErrors: z.int(),
})
export type RunMetrics = z.infer<typeof RunMetrics>

export const RunOutcome = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('measured'), metrics: RunMetrics, requests: z.array(RequestRecord) }),
  z.object({ kind: z.literal('failed'), why: z.string() }),
])
export type RunOutcome = z.infer<typeof RunOutcome>

/** Control to lab: one page load. */
export const RunOrder = z.object({
  id: z.string(),
  url: z.url(),
  visitor: VisitorProfile,
  visit: Visit,
  /** Longest wait for the page to become quiet, ms. */
  timeoutMs: z.int(),
})
export type RunOrder = z.infer<typeof RunOrder>

/** Lab to control. */
export const LabMessage = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('ready') }),
  z.object({ kind: z.literal('unusable'), why: z.string() }),
  z.object({ kind: z.literal('outcome'), id: z.string(), outcome: RunOutcome }),
])
export type LabMessage = z.infer<typeof LabMessage>
