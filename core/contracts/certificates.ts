import { z } from 'zod'

/** How a certificate authority makes sure that a host name is the owner's (RFC 8555 §8.3, §8.4). */
export const AcmeChallenge = z.enum(['http-01', 'dns-01'])
export type AcmeChallenge = z.infer<typeof AcmeChallenge>

/** Get a certificate from an authority that speaks ACME (RFC 8555), and get it anew in time. */
export const AutomaticCertificateOrder = z.strictObject({
  directory: z
    .url({ protocol: /^https$/, error: 'Give the https:// address of the directory of your certificate authority.' })
    .max(2000)
    .describe('Address of the directory of the certificate authority'),
  contact: z
    .email('Give an e-mail address at which the certificate authority reaches you.')
    .max(200)
    .describe('Where the authority writes to'),
  challenge: AcmeChallenge.default('http-01').describe(
    'http-01: the authority asks this host name over HTTP, port 80; dns-01: it looks for a record in the DNS',
  ),
  termsAgreed: z.literal(true, { error: 'Agree to the terms of the certificate authority.' }),
  externalAccount: z
    .strictObject({
      keyId: z.string().trim().min(1).max(500),
      key: z
        .string()
        .trim()
        .regex(/^[\w-]+$/, 'Give the key as the authority shows it: base64url.')
        .max(1000)
        .describe('Base64url; never given out again'),
    })
    .nullable()
    .default(null)
    .describe('An account that you have with the authority (RFC 8555 §7.3.4)'),
})
export type AutomaticCertificateOrder = z.infer<typeof AutomaticCertificateOrder>

/** A record to be entered in the DNS. */
export const TextRecord = z.object({ name: z.string(), value: z.string() })
export type TextRecord = z.infer<typeof TextRecord>

/** Where getting and renewing a certificate stands. */
export const AutomaticCertificate = z.object({
  host: z.string(),
  directory: z.string(),
  contact: z.string(),
  challenge: AcmeChallenge,
  hasExternalAccount: z.boolean(),
  state: z.enum(['getting', 'waiting-for-dns', 'valid', 'failed']),
  problem: z.string().nullable().describe('Why the last try failed, and what to do'),
  lastTryAt: z.iso.datetime().nullable(),
  nextTryAt: z.iso.datetime().nullable().describe('When it is renewed, or tried again by itself'),
  validUntil: z.iso.datetime().nullable().describe('End of the certificate that is in use; null: there is none yet'),
  record: TextRecord.nullable().describe('To be entered in the DNS now'),
})
export type AutomaticCertificate = z.infer<typeof AutomaticCertificate>

export const AutomaticCertificateState = z.object({ automatic: AutomaticCertificate.nullable() })
export type AutomaticCertificateState = z.infer<typeof AutomaticCertificateState>
