import { z } from 'zod'
import { PrivateAddresses, SiteAddress } from './sites.ts'

export const QuickCheckOrder = z.strictObject({
  address: SiteAddress,
  privateAddresses: PrivateAddresses.default('refused'),
})
export type QuickCheckOrder = z.infer<typeof QuickCheckOrder>

/** One answer on the way to the page. */
export const QuickCheckHop = z.object({
  url: z.string(),
  status: z.int(),
  protocol: z.string().describe('h2, http/1.1 or http/1.0'),
  location: z.string().nullable(),
  lookupMs: z.number(),
  connectMs: z.number(),
  tlsMs: z.number(),
  waitMs: z.number().describe('From the request to the first byte'),
  fields: z.array(z.tuple([z.string(), z.string()])),
  certificate: z.string().nullable().describe('Why browsers warn of it; null: they do not, or there is none'),
})
export type QuickCheckHop = z.infer<typeof QuickCheckHop>

/** What the text would weigh under each way of compressing it. */
export const CodingSize = z.object({ coding: z.enum(['none', 'gzip', 'br']), level: z.int(), bytes: z.int() })
export type CodingSize = z.infer<typeof CodingSize>

export const QuickCheckPoint = z.object({
  topic: z.enum([
    'answer',
    'protocol',
    'wait',
    'compression',
    'caching',
    'validators',
    'cookies',
    'store',
    'intermediaries',
  ]),
  sentence: z.string(),
  evidence: z.array(z.string()),
})
export type QuickCheckPoint = z.infer<typeof QuickCheckPoint>

export const QuickCheck = z.object({
  address: z.string(),
  tookMs: z.number(),
  hops: z.array(QuickCheckHop),
  /** null when it is not text. */
  sizes: z.array(CodingSize).nullable(),
  sentBytes: z.int(),
  decodedBytes: z.int(),
  points: z.array(QuickCheckPoint),
})
export type QuickCheck = z.infer<typeof QuickCheck>
