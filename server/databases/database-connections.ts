import { and, eq, type SQL } from 'drizzle-orm'
import {
  DatabaseSecret,
  type DatabaseConnectionDraft,
  type DatabaseConnectionInfo,
  type DatabaseTrial,
  type DatabaseUse,
} from '../../core/contracts/site-databases.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { databaseConnections } from '../db/upkeep-schema.ts'
import { errors } from '../errors/app-errors.ts'
import { siteRow } from '../sites/sites.ts'
import { openDatabaseAt, withDatabase } from './open-database-at.ts'
import { openScratchOn } from './scratch-on-server.ts'
import { DatabaseFailure, type DatabaseAccess, type OpenDatabase } from './open-database.ts'
import { readSchema } from './read-schema.ts'

/** Passwords of databases that are not to be kept, by use and site. */
export interface HasDatabaseSecrets {
  readonly databaseSecrets: Map<string, DatabaseSecret>
}

type Row = typeof databaseConnections.$inferSelect
type Needed = HasDatabase & HasDatabaseSecrets

/** Name of a password that is not kept. */
const secretName = ({ use, siteId }: Pick<Row, 'use' | 'siteId'>): string => `${use} ${siteId}`

const one = (siteId: string, use: DatabaseUse): SQL | undefined =>
  and(eq(databaseConnections.siteId, siteId), eq(databaseConnections.use, use))

const rowOf = async (db: Database, siteId: string, use: DatabaseUse): Promise<Row | undefined> => {
  const [row] = await db.select().from(databaseConnections).where(one(siteId, use))
  return row
}

const secretOf = ({ databaseSecrets }: HasDatabaseSecrets, row: Row): DatabaseSecret | undefined =>
  row.secret === null ? databaseSecrets.get(secretName(row)) : DatabaseSecret.parse(JSON.parse(row.secret))

const secretState = (services: HasDatabaseSecrets, row: Row): DatabaseConnectionInfo['secret'] => {
  if (row.secret !== null) return 'encrypted'
  return services.databaseSecrets.has(secretName(row)) ? 'in-memory' : 'missing'
}

/** How the database of a site is reached, if that is known. @throws AppError NOT_FOUND */
export const databaseConnectionOf = async (
  services: Needed,
  siteId: string,
  use: DatabaseUse = 'site',
): Promise<DatabaseConnectionInfo> => {
  await siteRow(services.db, siteId)
  const row = await rowOf(services.db, siteId, use)
  if (row === undefined) return { place: null, secret: 'missing', allows: 'reading', trial: null }
  return { place: row.place, secret: secretState(services, row), allows: row.allows, trial: row.trial }
}

/** Whether a password for the one place may be said at the other. */
const isSamePlace = (a: Row['place'] | undefined, b: Row['place']): boolean =>
  a?.engine === b.engine &&
  a.address === b.address &&
  a.socket === b.socket &&
  a.user === b.user &&
  a.tunnel?.address === b.tunnel?.address &&
  a.tunnel?.user === b.tunnel?.user

/** Keep what the owner says. What opens one server is never told to another. @throws AppError NOT_FOUND */
export const saveDatabaseConnection = async (
  services: Needed,
  siteId: string,
  { place, secret, keep, allows }: DatabaseConnectionDraft,
  use: DatabaseUse = 'site',
): Promise<DatabaseConnectionInfo> => {
  const { db, databaseSecrets } = services
  await siteRow(db, siteId)
  const before = await rowOf(db, siteId, use)
  const name = secretName({ use, siteId })
  const known =
    secret ?? (before !== undefined && isSamePlace(before.place, place) ? secretOf(services, before) : undefined)
  databaseSecrets.delete(name)
  if (known !== undefined && keep === 'not-kept') databaseSecrets.set(name, known)
  const row = {
    ...{ place, allows, trial: null },
    secret: known === undefined || keep === 'not-kept' ? null : JSON.stringify(known),
  }
  await db
    .insert(databaseConnections)
    .values({ siteId, use, ...row })
    .onConflictDoUpdate({ target: [databaseConnections.siteId, databaseConnections.use], set: row })
  return databaseConnectionOf(services, siteId, use)
}

/** Forget how the database is reached, and what opens it. */
export const forgetDatabaseConnection = async (
  { db, databaseSecrets }: Needed,
  siteId: string,
  use: DatabaseUse = 'site',
): Promise<void> => {
  databaseSecrets.delete(secretName({ use, siteId }))
  await db.delete(databaseConnections).where(one(siteId, use))
}

/** What opening the database of a site needs. @throws AppError when it is not known, DatabaseFailure when the password is gone */
const accessOf = async (services: Needed, siteId: string, use: DatabaseUse = 'site'): Promise<DatabaseAccess> => {
  const { hosts } = await siteRow(services.db, siteId)
  const row = await rowOf(services.db, siteId, use)
  if (row === undefined) throw errors.notFound('database connection')
  const secret = secretOf(services, row)
  if (secret === undefined)
    throw new DatabaseFailure('Zest Lamp was restarted, and the password was not to be saved. Enter it again.')
  return { place: row.place, secret, reach: hosts.privateAddresses, allows: row.allows }
}

/**
 * Open the database of a site.
 * @param use for reading, nothing can be changed, whatever the owner allows
 * @throws AppError NOT_FOUND, DatabaseFailure
 */
export const siteDatabase = async (
  services: Needed,
  siteId: string,
  use: 'reading' | 'clean-up' = 'reading',
): Promise<OpenDatabase> => {
  const access = await accessOf(services, siteId)
  if (use === 'clean-up' && access.allows !== 'clean-up')
    throw new DatabaseFailure('You have allowed reading only. Allow clean-ups first.')
  return openDatabaseAt({ ...access, allows: use })
}

/** What opens the server that the owner names for proofs; undefined: none is named. @throws DatabaseFailure when its password is gone */
export const proofServerOf = async (services: Needed, siteId: string): Promise<DatabaseAccess | undefined> => {
  if ((await rowOf(services.db, siteId, 'proof')) === undefined) return undefined
  return { ...(await accessOf(services, siteId, 'proof')), allows: 'clean-up' }
}

/** Another database of the same server, for instance an empty one. @throws AppError NOT_FOUND, DatabaseFailure */
export const neighbourDatabase = async (services: Needed, siteId: string, database: string): Promise<OpenDatabase> => {
  const access = await accessOf(services, siteId)
  if (access.allows !== 'clean-up') throw new DatabaseFailure('You have allowed reading only. Allow clean-ups first.')
  if (access.place.database === database)
    throw new DatabaseFailure('This is the database of the site itself. Give the name of an empty one.')
  return openDatabaseAt({ ...access, place: { ...access.place, database }, allows: 'clean-up' })
}

/** Whether this user may delete rows of any table; null: the database does not say. */
const mayChange = async (db: OpenDatabase): Promise<boolean | null> => {
  if (db.engine === 'mariadb') {
    const grants = (await db.rows('show grants')).map(([line]) => line ?? '')
    return grants.some((line) => /^GRANT .*\b(?:ALL PRIVILEGES|DELETE)\b.* ON /.test(line))
  }
  const [row] = await db.rows(
    "select bool_or(has_table_privilege(c.oid, 'DELETE')) from pg_class c join pg_namespace n on n.oid = c.relnamespace where c.relkind = 'r' and n.nspname not in ('pg_catalog', 'information_schema')",
  )
  return row?.[0] === null || row === undefined ? null : row[0] === 't'
}

const triedSite = (services: Needed, siteId: string): Promise<DatabaseTrial> =>
  withDatabase(
    () => siteDatabase(services, siteId),
    async (db) => {
      const { tables } = await readSchema(db)
      const may = await mayChange(db)
      const count = tables.length === 1 ? 'one table' : `${tables.length} tables`
      return {
        outcome: 'good' as const,
        sentence: `${db.server} with ${count}.${may === false ? ' This user can read, but not delete.' : ''}`,
        fingerprint: null,
        mayChange: may,
      }
    },
  )

/** Makes a database there, and removes it. */
const triedProof = async (services: Needed, siteId: string): Promise<DatabaseTrial> => {
  const access = await accessOf(services, siteId, 'proof')
  const scratch = await openScratchOn({ ...access, allows: 'clean-up' }, siteId)
  await scratch.end()
  const site = await rowOf(services.db, siteId, 'site')
  const isOwn = site?.place.address === access.place.address && site.place.socket === access.place.socket
  return {
    outcome: 'good',
    sentence: `${scratch.server}: a database was made there and removed again.${isOwn ? ' It is the server of the site: while a proof runs, the site may be slower.' : ''}`,
    fingerprint: null,
    mayChange: true,
  }
}

const TRY = { site: triedSite, proof: triedProof }

const tried = async (services: Needed, siteId: string, use: DatabaseUse): Promise<DatabaseTrial> => {
  try {
    return await TRY[use](services, siteId)
  } catch (error) {
    if (!(error instanceof DatabaseFailure)) throw error
    const outcome = error.reason === 'unknown-key' ? 'unknown-key' : 'failed'
    return { outcome, sentence: error.message, fingerprint: error.fingerprint, mayChange: null }
  }
}

/** Find out whether the database can be read, or a proof be made. @throws AppError NOT_FOUND */
export const tryDatabaseConnection = async (
  services: Needed,
  siteId: string,
  use: DatabaseUse = 'site',
): Promise<DatabaseConnectionInfo> => {
  if ((await rowOf(services.db, siteId, use)) === undefined) throw errors.notFound('database connection')
  const trial = await tried(services, siteId, use)
  await services.db.update(databaseConnections).set({ trial }).where(one(siteId, use))
  return databaseConnectionOf(services, siteId, use)
}
