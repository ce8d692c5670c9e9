import type { HasDatabase } from '../db/database.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import { createHash, createHmac, timingSafeEqual } from 'node:crypto'
import { and, desc, eq, notInArray } from 'drizzle-orm'
import type { ChangeCall, ContentEvent, EventTarget } from '../../core/contracts/sites.ts'
import { changedAddresses, pathOfSite } from '../../core/formats/changed-addresses.ts'
import { changeReaches } from '../../core/cache/purge-expansion.ts'
import { newId, newToken } from '../accounts/secrets.ts'
import type { Database } from '../db/database.ts'
import { changeCalls, sites } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import { changesOf } from '../sites/changes-told.ts'
import { liveSetup } from '../release/setups.ts'
import { purgeHostCache } from './host-cache.ts'
import { siteRow } from '../sites/sites.ts'

/** Calls that are shown. */
const MOST_CALLS = 10
/** Calls that are kept: from them comes how often pages change. */
const MOST_KEPT = 500
/** Paths of one call that are shown. */
const MOST_SHOWN = 20

type SiteRow = typeof sites.$inferSelect

/** Names under which pages of a site are known, in lower case and without port. */
export const namesOf = ({
  address,
  publicAddress,
  liveHost,
  trialHost,
}: Pick<SiteRow, 'address' | 'publicAddress' | 'liveHost' | 'trialHost'>): Set<string> =>
  new Set([liveHost, trialHost, ...[address, publicAddress ?? address].map((one) => new URL(one).hostname)])

/** A path, or the path of a full address of the site; undefined for one of another site. */
const ownPath = (address: string, names: ReadonlySet<string>): string | undefined =>
  address.startsWith('/') ? address : pathOfSite(address, names)

/**
 * Purge what a change of content makes old.
 * @returns stored responses removed
 * @throws DeliveryUnavailable
 */
export const carryOutChange = async (
  { db, delivery, events, now }: HasDatabase & HasDelivery & HasEvents & HasClock,
  site: SiteRow,
  change: Pick<ContentEvent, 'paths' | 'groups' | 'media' | 'everything'>,
): Promise<number> => {
  const { setup } = await liveSetup(db, site.id)
  const names = namesOf(site)
  const own = (all: readonly string[]): string[] => all.flatMap((one) => ownPath(one, names) ?? [])
  const { images, fingerprint } = setup.remedies
  const reached = changeReaches(
    {
      groups: change.groups,
      paths: own(change.paths),
      media: own(change.media),
      everything: change.everything,
      // Pages hold names that were made from the old file.
      mediaInPages: images.enabled || fingerprint.enabled,
    },
    setup.contentEvents,
  )
  let purged = 0
  for (const what of reached) await purgeHostCache({ db, events, now }, site, what)
  for (const what of reached)
    purged += (await delivery.purge({ siteId: site.id, what, manner: setup.contentEvents.manner })).purged
  events.changed(site.id, 'traffic')
  events.store({ siteId: site.id, what: 'changed', paths: own(change.paths) })
  return purged
}

/** Write down a call, and forget all but the last ones. */
export const noteCall = async (
  { db, events, now, publisher }: HasDatabase & HasPublisher & HasEvents & HasClock,
  siteId: string,
  call: Omit<ChangeCall, 'at' | 'id'>,
): Promise<void> => {
  const { told } = await changesOf(db, siteId)
  await db
    .insert(changeCalls)
    .values({ id: newId(), siteId, at: now(), ...call, paths: call.paths.slice(0, MOST_SHOWN) })
  const kept = db
    .select({ id: changeCalls.id })
    .from(changeCalls)
    .where(eq(changeCalls.siteId, siteId))
    .orderBy(desc(changeCalls.at))
    .limit(MOST_KEPT)
  await db.delete(changeCalls).where(and(eq(changeCalls.siteId, siteId), notInArray(changeCalls.id, kept)))
  // From the first call on pages are kept for as long as the owner wants.
  if (call.how !== 'watched' && told !== 'calls') publisher.publishBehind()
  events.changed(siteId, 'site')
}

/** The last calls, newest first. */
export const lastCalls = async (db: Database, siteId: string): Promise<ChangeCall[]> => {
  const rows = await db
    .select()
    .from(changeCalls)
    .where(eq(changeCalls.siteId, siteId))
    .orderBy(desc(changeCalls.at))
    .limit(MOST_CALLS)
  return rows.map(({ siteId: _site, at, ...row }) => ({ ...row, at: at.toISOString() }))
}

const sameSecret = (one: string, other: string): boolean => {
  const digest = (text: string): Buffer => createHash('sha256').update(text).digest()
  return timingSafeEqual(digest(one), digest(other))
}

/** Whether a field holds the HMAC-SHA256 of a body: in hexadecimal or Base64, whatever stands before it ("sha256="). */
const isHmacOf = (field: string, body: string, secret: string): boolean => {
  const hmac = createHmac('sha256', secret).update(body).digest()
  const value = field.trim().replace(/^[a-z0-9-]+[=:](?=.)/i, '')
  return [hmac.toString('hex'), hmac.toString('base64')].some(
    (one) => sameSecret(value, one) || sameSecret(field.trim(), one),
  )
}

export interface PlainCall {
  readonly body: string
  readonly field: (name: string) => string
}

/**
 * A content system tells of a change in a form of its own, at an address that only it knows. What its message names is purged before it gets its
 * answer.
 * @throws AppError NOT_FOUND for another key, BAD_SIGNATURE where the owner wants an HMAC and it does not fit
 */
export const takeChangeCall = async (
  services: HasDatabase & HasDelivery & HasPublisher & HasEvents & HasClock,
  siteId: string,
  key: string,
  { body, field }: PlainCall,
): Promise<{ purged: number; paths: string[] }> => {
  const [site] = await services.db.select().from(sites).where(eq(sites.id, siteId))
  // The same answer whether the site or the key is wrong: whoever guesses learns nothing.
  if (site === undefined || !sameSecret(site.changeKey, key)) throw errors.notFound('address for changes')
  const refuse = async (problem: string): Promise<never> => {
    await noteCall(services, siteId, { how: 'plain', paths: [], purged: 0, problem })
    throw errors.badSignature(problem)
  }
  if (site.hmacField !== null) {
    const signature = field(site.hmacField)
    if (signature === '') return refuse(`The field ${site.hmacField} is missing.`)
    if (!isHmacOf(signature, body, site.eventSecret))
      return refuse(`The field ${site.hmacField} does not hold the HMAC-SHA256 of the body.`)
  }
  const { paths, everything } = changedAddresses(body, namesOf(site))
  const purged = await carryOutChange(services, site, { paths: [...paths], groups: [], media: [], everything })
  await noteCall(services, siteId, {
    how: 'plain',
    paths: everything ? ['everything'] : [...paths],
    purged,
    problem: everything || paths.length > 0 ? null : 'The message contains no address of the site.',
  })
  return { purged, paths: [...paths] }
}

/** Make a new address for changes; the old one is none any more. @throws AppError NOT_FOUND */
export const renewChangeKey = async ({ db, events }: HasDatabase & HasEvents, siteId: string): Promise<void> => {
  await siteRow(db, siteId)
  await db.update(sites).set({ changeKey: newToken() }).where(eq(sites.id, siteId))
  events.changed(siteId, 'site')
}

/** Set which field must hold the HMAC of a plain call's body. @throws AppError NOT_FOUND */
export const saveHmacField = async (
  { db, events }: HasDatabase & HasEvents,
  siteId: string,
  hmacField: string | null,
): Promise<void> => {
  await siteRow(db, siteId)
  await db.update(sites).set({ hmacField }).where(eq(sites.id, siteId))
  events.changed(siteId, 'site')
}

/**
 * Where and how the content system tells of changes.
 * @param base scheme, host and port by which control is asked: what has reached it there can reach it again
 */
export const eventTarget = async ({ db }: HasDatabase, id: string, base: string): Promise<EventTarget> => {
  const { eventSecret, changeKey, hmacField } = await siteRow(db, id)
  const site = `${base}/api/v1/sites/${id}`
  return {
    url: `${site}/events`,
    keyid: id,
    secret: eventSecret,
    plainUrl: `${site}/content-changes/${changeKey}`,
    hmacField,
    calls: await lastCalls(db, id),
  }
}
