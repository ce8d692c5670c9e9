import { z } from 'zod'

/** Where a machine is to ask for a site as a visitor does. */
export const RemoteCheckOrder = z.strictObject({
  /** Host name or address that is connected to. */
  address: z.string().min(1).max(253),
  port: z.int().min(1).max(65_535).describe('Of HTTPS there'),
  host: z.string().min(1).max(253).describe('Host name of the site, which the certificate has to be for'),
  privateAddresses: z.enum(['refused', 'allowed']),
})
export type RemoteCheckOrder = z.infer<typeof RemoteCheckOrder>

/** What came of it. */
export const RemoteCheckResult = z.discriminatedUnion('kind', [
  z.strictObject({
    kind: z.literal('answered'),
    protocol: z.enum(['h2', 'http/1.1']).describe('What was agreed on for browsers'),
    status: z.int(),
    cacheStatus: z.string().max(4000).describe('Field of the answer; empty: there is none'),
  }),
  z.strictObject({
    kind: z.literal('failed'),
    code: z.string().max(100).describe('Of the failure, such as "ECONNREFUSED"; empty: it has none'),
    message: z.string().max(500),
  }),
])
export type RemoteCheckResult = z.infer<typeof RemoteCheckResult>

/** What came of a check by an edge, and where its own resolver leads visitors of the site. */
export const EdgeCheckResult = z.strictObject({
  id: z.string().max(60).describe('Of the order'),
  result: RemoteCheckResult,
  resolved: z.array(z.string().max(100)).max(20).describe('Addresses of the host; none: its resolver knows none'),
})
export type EdgeCheckResult = z.infer<typeof EdgeCheckResult>
