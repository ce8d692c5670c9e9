/**
 * HTTP Message Signatures (RFC 9421), the part that content events use: a request with a body, signed with a shared secret by
 * hmac-sha256 (§3.3.3). The digest of the body is covered through Content-Digest (RFC 9530).
 */

/** Components every content event covers, in this order. */
export const COVERED = ['@method', '@path', 'content-digest'] as const

export interface SignatureParameters {
  /** Seconds since 1970. */
  readonly created: number
  /** Different in every message, so that none can be sent again. */
  readonly nonce: string
  readonly keyid: string
}

/** The value of one component of the message (RFC 9421 §2). */
export type ComponentValue = (name: string) => string

/** Signature parameters as they stand in Signature-Input (RFC 9421 §2.3). */
export const signatureParams = (covered: readonly string[], { created, nonce, keyid }: SignatureParameters): string =>
  `(${covered.map((name) => `"${name}"`).join(' ')});created=${created};nonce="${nonce}";keyid="${keyid}"`

/** The text that is signed (RFC 9421 §2.5). */
export const signatureBase = (covered: readonly string[], valueOf: ComponentValue, params: string): string =>
  [...covered.map((name) => `"${name}": ${valueOf(name)}`), `"@signature-params": ${params}`].join('\n')

const INPUT =
  /^sig1=(\((?:"[\w@-]+"(?: "[\w@-]+")*)?\);created=(\d{1,15});nonce="([\w-]{8,100})";keyid="([\w-]{1,100})")$/

/**
 * Read Signature-Input and Signature of a content event.
 * @returns undefined unless they have exactly the form that signatureParams writes
 */
export const parseSignature = (
  input: string,
  signature: string,
): (SignatureParameters & { readonly params: string; readonly signature: string }) | undefined => {
  const [, params = '', created, nonce = '', keyid = ''] = INPUT.exec(input) ?? []
  const value = /^sig1=:([A-Za-z0-9+/]+=*):$/.exec(signature)?.[1]
  if (
    created === undefined ||
    value === undefined ||
    params.split(';')[0] !== signatureParams(COVERED, NOBODY).split(';')[0]
  )
    return undefined
  return {
    created: Number(created),
    nonce,
    keyid,
    params,
    signature: value,
  }
}

const NOBODY: SignatureParameters = { created: 0, nonce: '', keyid: '' }
