import type { RehearsedAddress } from '../contracts/server-rules.ts'

/** What a visitor gets for an address, as far as it says whether a site works. */
export interface SeenAnswer {
  readonly status: number
  readonly fields: ReadonlyMap<string, string>
}

/** Moved for good or for now, or not (RFC 9110 §15.4). */
const isRedirect = (status: number): boolean => status >= 300 && status < 400 && status !== 304

const typeOf = ({ fields }: SeenAnswer): string =>
  (fields.get('content-type') ?? '').split(';', 1)[0]?.trim().toLowerCase() ?? ''

/** Whether an answer sends visitors where the new rules are meant to send them. */
const isSentOn = ({ status, fields }: SeenAnswer, path: string, host: string | null): boolean =>
  host !== null && isRedirect(status) && fields.get('location') === `https://${host}${path}`

/**
 * Whether an address answers otherwise than before the rules were there.
 * @param before null: it did not answer, so that nothing can be said
 * @param after null: it does not answer
 * @param host to which the rules send all visitors; null: to none
 * @returns what is wrong, in a sentence; undefined: nothing
 */
export const answersOtherwise = (
  path: string,
  before: SeenAnswer | null,
  after: SeenAnswer | null,
  host: string | null,
): string | undefined => {
  if (before === null) return undefined
  if (after === null) return `${path} does not answer any more.`
  if (isSentOn(after, path, host)) return undefined
  if (after.status !== before.status)
    return `${path} is answered with status ${after.status}; before it was ${before.status}.`
  if (isRedirect(after.status) && after.fields.get('location') !== before.fields.get('location'))
    return `${path} is sent on to another address than before.`
  if (typeOf(after) !== typeOf(before)) return `The type of ${path} is another than before.`
  return undefined
}

const EXPECTED: Readonly<Record<string, string>> = {
  'content-encoding': 'compressed',
  'cache-control': 'sent with a lifetime',
  'x-content-type-options': 'sent with X-Content-Type-Options',
  'referrer-policy': 'sent with Referrer-Policy',
}

/**
 * What the rehearsal has changed and the real server does not do, each once: its module may not be there.
 * @param seen by path
 */
export const notInForce = (
  rehearsed: readonly RehearsedAddress[],
  seen: ReadonlyMap<string, SeenAnswer | null>,
): string[] => {
  const missing = new Map<string, string>()
  for (const { path, changed } of rehearsed) {
    const answer = seen.get(path)
    if (answer === undefined || answer === null) continue
    for (const { field, after } of changed) {
      const words = EXPECTED[field]
      if (words === undefined || after === null || answer.fields.has(field) || missing.has(field)) continue
      missing.set(
        field,
        `${path} is not ${words} (${field}), as it was in the rehearsal. Ask your host whether the module for it is there.`,
      )
    }
  }
  return [...missing.values()]
}
