import { z } from 'zod'

export const QuickCheckOrder = z.strictObject({
  address: z
    .string()
    .trim()
    .min(1)
    .max(4000)
    .describe('A path of the site ("/stories"), or a whole address on one of its hosts'),
})
export type QuickCheckOrder = z.infer<typeof QuickCheckOrder>

/** One answer on the way, redirects included. */
export const CheckedHop = z.object({
  url: z.string(),
  status: z.int(),
  location: z.string().nullable(),
  connectMs: z.number().nullable().describe('DNS and TCP; null on a connection that was open'),
  tlsMs: z.number().nullable(),
  serverMs: z.number().describe('From the request to the first byte of the answer'),
})
export type CheckedHop = z.infer<typeof CheckedHop>

export const CheckedSize = z.object({
  coding: z.enum(['identity', 'gzip', 'br']),
  level: z.int().nullable(),
  bytes: z.int(),
})
export type CheckedSize = z.infer<typeof CheckedSize>

export const CheckedPoint = z.object({
  topic: z.enum(['redirects', 'protocol', 'wait', 'compression', 'caching', 'validators', 'cookies', 'store', 'intermediaries']), // prettier-ignore
  level: z.enum(['good', 'note', 'bad']),
  sentence: z.string(),
  evidence: z.array(z.string()),
})
export type CheckedPoint = z.infer<typeof CheckedPoint>

export const QuickCheck = z.object({
  address: z.string(),
  at: z.iso.datetime(),
  tookMs: z.number(),
  hops: z.array(CheckedHop),
  httpVersion: z.string().describe('Best version the server offers: "2" or "1.1"'),
  contentType: z.string(),
  sentBytes: z.int(),
  sentCoding: z.string(),
  sizes: z.array(CheckedSize).describe('Sizes the same body would have; empty for what does not compress'),
  points: z.array(CheckedPoint),
  fields: z.array(z.tuple([z.string(), z.string()])),
})
export type QuickCheck = z.infer<typeof QuickCheck>
