import type { HasDatabase } from '../db/database.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasClock } from '../live/clock.ts'
import { createHash, createHmac, timingSafeEqual } from 'node:crypto'
import { lt } from 'drizzle-orm'
import { ContentEvent } from '../../core/contracts/sites.ts'
import { COVERED, parseSignature, signatureBase } from '../../core/formats/http-signature.ts'
import { eventNonces } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import { carryOutChange, noteCall } from './content-changes.ts'
import { siteRow } from '../sites/sites.ts'

/** How old an event may be; also how long its nonce is remembered. */
const LATEST_MS = 5 * 60_000

export interface SignedMessage {
  readonly path: string
  readonly body: string
  readonly contentDigest: string
  readonly signatureInput: string
  readonly signature: string
}

const verify = (message: SignedMessage, siteId: string, secret: string, now: Date): string => {
  const parsed = parseSignature(message.signatureInput, message.signature)
  if (parsed === undefined) throw errors.badSignature('Signature or Signature-Input is missing or not well-formed.')
  if (parsed.keyid !== siteId) throw errors.badSignature('The keyid is not that of this site.')
  if (Math.abs(now.getTime() - parsed.created * 1000) > LATEST_MS)
    throw errors.badSignature('The signature is too old, or the clocks differ by more than five minutes.')
  const digest = `sha-256=:${createHash('sha256').update(message.body).digest('base64')}:`
  if (digest !== message.contentDigest) throw errors.badSignature('Content-Digest does not match the body (RFC 9530).')
  const values: Record<string, string> = {
    '@method': 'POST',
    '@path': message.path,
    'content-digest': digest,
  }
  const expected = createHmac('sha256', secret)
    .update(signatureBase(COVERED, (name) => values[name]!, parsed.params))
    .digest()
  const got = Buffer.from(parsed.signature, 'base64')
  if (got.length !== expected.length || !timingSafeEqual(got, expected))
    throw errors.badSignature('The signature does not match.')
  return parsed.nonce
}

/**
 * Carry out a content event: what it names is purged before the answer goes out, so that whoever made the change sees it next.
 * @returns stored responses removed
 * @throws AppError BAD_SIGNATURE, NOT_FOUND; ZodError
 */
export const takeContentEvent = async (
  services: HasDatabase & HasDelivery & HasPublisher & HasEvents & HasClock,
  siteId: string,
  message: SignedMessage,
): Promise<number> => {
  const { db, now } = services
  const site = await siteRow(db, siteId)
  const at = now()
  const nonce = verify(message, siteId, site.eventSecret, at)
  await db.delete(eventNonces).where(lt(eventNonces.at, new Date(at.getTime() - 2 * LATEST_MS)))
  const change = ContentEvent.parse(JSON.parse(message.body))
  const purged = await carryOutChange(services, site, change)
  // Only once it is carried out: an event that met a stopped delivery may come again.
  const fresh = await db.insert(eventNonces).values({ nonce, at }).onConflictDoNothing().returning()
  if (fresh.length === 0) throw errors.badSignature('This event was already carried out.')
  const named = [...change.paths, ...change.media, ...change.groups.map((group) => `#${group}`)]
  const paths = change.everything ? ['everything'] : named
  const problem = paths.length > 0 ? null : 'The event lists nothing that has changed.'
  await noteCall(services, siteId, { how: 'signed', paths, purged, problem })
  return purged
}
