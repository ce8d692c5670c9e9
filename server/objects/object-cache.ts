import { createHash, randomBytes } from 'node:crypto'
import { eq } from 'drizzle-orm'
import {
  ObjectsSettings,
  type ObjectsConnection,
  type ObjectsPassword,
  type ObjectsState,
} from '../../core/contracts/objects.ts'
import { ObjectsUnavailable, type HasObjects } from '../../objects/control/client.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { objectCaches } from '../db/objects-schema.ts'
import { errors } from '../errors/app-errors.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { siteRow } from '../sites/sites.ts'
import type { HasObjectsPublisher } from './objects-publisher.ts'

type Io = HasDatabase & HasObjects & HasObjectsPublisher & HasEvents & HasAddresses

const LOOPBACK = '127.0.0.1'
/** 192 bits: guessing is hopeless, and a plain digest is enough to keep. */
const PASSWORD_BYTES = 24

interface Held {
  readonly settings: ObjectsSettings
  readonly passwordDigest: string | null
}

const heldOf = async (db: Database, siteId: string): Promise<Held> => {
  const [row] = await db.select().from(objectCaches).where(eq(objectCaches.siteId, siteId))
  // Settings that a later version adds have their defaults.
  return { settings: ObjectsSettings.parse(row?.settings ?? {}), passwordDigest: row?.passwordDigest ?? null }
}

const save = async ({ db, events, objectsPublisher }: Io, siteId: string, held: Held): Promise<void> => {
  await db
    .insert(objectCaches)
    .values({ siteId, ...held })
    .onConflictDoUpdate({ target: objectCaches.siteId, set: held })
  events.changed(siteId, 'objects')
  await objectsPublisher.publish()
}

const connectionOf = ({ addresses }: HasAddresses, siteId: string, { passwordDigest }: Held): ObjectsConnection => ({
  host: addresses.objectsHost ?? LOOPBACK,
  port: addresses.objectsPort,
  secure: addresses.objectsSecure ?? false,
  name: siteId,
  hasPassword: passwordDigest !== null,
})

/** The object cache of a site. @throws AppError NOT_FOUND */
export const objectsState = async (io: Io, siteId: string): Promise<ObjectsState> => {
  await siteRow(io.db, siteId)
  const held = await heldOf(io.db, siteId)
  const state = { settings: held.settings, connection: connectionOf(io, siteId, held), usage: null, problem: null }
  if (!held.settings.enabled || held.passwordDigest === null) return state
  try {
    return { ...state, usage: await io.objects.usage(siteId) }
  } catch (error) {
    if (error instanceof ObjectsUnavailable) return { ...state, problem: error.message }
    throw error
  }
}

/** @throws AppError NOT_FOUND; ObjectsUnavailable: what was set is kept, and in force as soon as it answers */
export const saveObjectsSettings = async (io: Io, siteId: string, settings: ObjectsSettings): Promise<void> => {
  await siteRow(io.db, siteId)
  if (settings.largestValueBytes > settings.memoryBytes / 4)
    throw errors.valueAboveMemory(settings.largestValueBytes, settings.memoryBytes)
  await save(io, siteId, { ...(await heldOf(io.db, siteId)), settings })
}

/** Make a password; the one before is worth nothing any more. Only a digest of it is kept. @throws AppError NOT_FOUND; ObjectsUnavailable */
export const newObjectsPassword = async (io: Io, siteId: string): Promise<ObjectsPassword> => {
  await siteRow(io.db, siteId)
  const password = randomBytes(PASSWORD_BYTES).toString('base64url')
  const held = {
    ...(await heldOf(io.db, siteId)),
    passwordDigest: createHash('sha256').update(password).digest('hex'),
  }
  await save(io, siteId, held)
  const { host, port, name, secure } = connectionOf(io, siteId, held)
  return { password, url: `${secure ? 'rediss' : 'redis'}://${name}:${password}@${host}:${port}/0` }
}
