import { z } from 'zod'

/** What the CDN serves: files of the pages, or the whole site. */
export const CdnScope = z.enum(['files', 'site'])
export type CdnScope = z.infer<typeof CdnScope>

/** Who rents it out: somebody whose API is known here, or anybody whose CDN fetches from an origin. */
export const CdnProviderId = z.enum(['simulated', 'any'])
export type CdnProviderId = z.infer<typeof CdnProviderId>

const httpOrigin = (example: string) =>
  z.url({ protocol: /^https?$/, error: `Give an address such as ${example}.` }).transform((url) => new URL(url).origin)

/** What the owner says of a CDN. */
export const RentedCdnDraft = z
  .strictObject({
    provider: CdnProviderId,
    scope: CdnScope.default('files'),
    hostUrl: httpOrigin('https://files.example')
      .nullable()
      .default(null)
      .describe('Scheme and host by which visitors reach the CDN; null: not known yet'),
    apiAddress: httpOrigin('https://api.example').nullable().default(null).describe('Where its API is'),
    token: z
      .string()
      .trim()
      .max(500)
      .regex(/^[\x21-\x7e]*$/, 'A token has no spaces.')
      .nullable()
      .default(null)
      .describe('What the API knows you by; null: as before. Kept encrypted, never shown'),
  })
  .refine(({ provider, hostUrl }) => provider !== 'any' || hostUrl !== null, {
    error: 'Give the host name that the CDN has given you.',
    path: ['hostUrl'],
  })
  .refine(({ provider, apiAddress }) => provider === 'any' || apiAddress !== null, {
    error: 'Give the address of the provider’s API.',
    path: ['apiAddress'],
  })
export type RentedCdnDraft = z.infer<typeof RentedCdnDraft>

/** What one kind of answer was found to be like. */
export const CdnFinding = z.object({
  id: z.enum([
    'reachable',
    'same-content',
    'stored',
    'cache-status',
    'compression',
    'lifetime',
    'vary',
    'cookies',
    'query',
    'cors',
    'private',
  ]),
  state: z.enum(['as-set', 'differs', 'unknown']),
  path: z.string(),
  sentence: z.string(),
  remedy: z.string().nullable().describe('What to do; null: nothing'),
})
export type CdnFinding = z.infer<typeof CdnFinding>

/** What a provider counts. */
export const CdnFigures = z.object({
  requests: z.number(),
  hits: z.number(),
  bytes: z.number(),
  cost: z.number().describe('So far this month, in the provider’s currency'),
})
export type CdnFigures = z.infer<typeof CdnFigures>

export const RentedCdn = z.object({
  provider: CdnProviderId,
  scope: CdnScope,
  hostUrl: z.string().nullable(),
  apiAddress: z.string().nullable(),
  hasToken: z.boolean(),
  state: z.enum(['entered', 'creating', 'ready', 'failed']).describe('Of what the provider was asked to set up'),
  problem: z.string().nullable(),
  purge: z
    .object({ at: z.iso.datetime(), problem: z.string().nullable() })
    .nullable()
    .describe('The last purge that the provider was told of'),
  check: z
    .object({ at: z.iso.datetime(), findings: z.array(CdnFinding) })
    .nullable()
    .describe('What answers said the last time they were compared'),
})
export type RentedCdn = z.infer<typeof RentedCdn>

export const RentedCdnState = z.object({
  originUrl: z.string().describe('What a CDN has to fetch from: live'),
  cdn: RentedCdn.nullable().describe('null: none is rented'),
  demo: z
    .object({ apiAddress: z.string(), token: z.string() })
    .nullable()
    .describe('The simulated provider of the demo, where it runs; null: it does not'),
})
export type RentedCdnState = z.infer<typeof RentedCdnState>
