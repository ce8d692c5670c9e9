import { and, desc, eq, gt, sql } from 'drizzle-orm'
import type { Account, ApiToken, MadeApiToken, NewAccount, SignIn } from '../../core/contracts/accounts.ts'
import type { Database } from '../db/database.ts'
import { accounts, apiTokens, sessions } from '../db/schema.ts'
import { errors } from '../errors/app-errors.ts'
import { digestToken, hashPassword, newId, newToken, passwordFits } from './secrets.ts'

const SESSION_MS = 30 * 24 * 3600 * 1000

/** Checked when no account has the name, so that the time taken does not tell which names exist. */
const NOBODY = hashPassword(newToken())

export const anyAccount = async (db: Database): Promise<boolean> =>
  (await db.select({ id: accounts.id }).from(accounts).limit(1)).length > 0

const byName = (name: string) => eq(sql`lower(${accounts.name})`, name.toLowerCase())

/** @throws AppError NAME_TAKEN */
export const createAccount = async (db: Database, { name, password }: NewAccount, now: Date): Promise<Account> => {
  const account = { id: newId(), name }
  const passwordHash = await hashPassword(password)
  const made = await db
    .insert(accounts)
    .values({ ...account, passwordHash, createdAt: now })
    .onConflictDoNothing()
    .returning({ id: accounts.id })
  if (made.length === 0) throw errors.nameTaken(name)
  return account
}

/**
 * The first account, for whoever comes first; only one of several that come at the same time is.
 * @throws AppError ACCOUNTS_EXIST
 */
export const createFirstAccount = async (db: Database, { name, password }: NewAccount, now: Date): Promise<void> => {
  if (await anyAccount(db)) throw errors.accountsExist()
  const passwordHash = await hashPassword(password)
  await db.transaction(async (tx) => {
    await tx.execute(sql`lock table ${accounts} in exclusive mode`)
    if ((await tx.select({ id: accounts.id }).from(accounts).limit(1)).length > 0) throw errors.accountsExist()
    await tx.insert(accounts).values({ id: newId(), name, passwordHash, createdAt: now })
  })
}

/** @returns the account and a session token for its cookie @throws AppError WRONG_PASSWORD */
export const signIn = async (
  db: Database,
  { name, password }: SignIn,
  now: Date,
): Promise<{ account: Account; token: string; expiresAt: Date }> => {
  const [found] = await db.select().from(accounts).where(byName(name))
  const fits = await passwordFits(password, found?.passwordHash ?? (await NOBODY))
  if (found === undefined || !fits) throw errors.wrongPassword()
  const token = newToken()
  const expiresAt = new Date(now.getTime() + SESSION_MS)
  await db.insert(sessions).values({ tokenDigest: digestToken(token), accountId: found.id, expiresAt })
  return { account: { id: found.id, name: found.name }, token, expiresAt }
}

export const signOut = async (db: Database, token: string): Promise<void> => {
  await db.delete(sessions).where(eq(sessions.tokenDigest, digestToken(token)))
}

export const accountOfSession = async (db: Database, token: string, now: Date): Promise<Account | undefined> => {
  const [found] = await db
    .select({ id: accounts.id, name: accounts.name })
    .from(sessions)
    .innerJoin(accounts, eq(accounts.id, sessions.accountId))
    .where(and(eq(sessions.tokenDigest, digestToken(token)), gt(sessions.expiresAt, now)))
  return found
}

export const accountOfApiToken = async (db: Database, token: string, now: Date): Promise<Account | undefined> => {
  const [found] = await db
    .select({ id: accounts.id, name: accounts.name, tokenId: apiTokens.id })
    .from(apiTokens)
    .innerJoin(accounts, eq(accounts.id, apiTokens.accountId))
    .where(eq(apiTokens.tokenDigest, digestToken(token)))
  if (found === undefined) return undefined
  await db.update(apiTokens).set({ lastUsedAt: now }).where(eq(apiTokens.id, found.tokenId))
  return { id: found.id, name: found.name }
}

export const listApiTokens = async (db: Database, accountId: string): Promise<ApiToken[]> => {
  const rows = await db
    .select()
    .from(apiTokens)
    .where(eq(apiTokens.accountId, accountId))
    .orderBy(desc(apiTokens.createdAt))
  return rows.map(({ id, name, createdAt, lastUsedAt }) => ({
    id,
    name,
    createdAt: createdAt.toISOString(),
    lastUsedAt: lastUsedAt?.toISOString() ?? null,
  }))
}

export const createApiToken = async (
  db: Database,
  accountId: string,
  name: string,
  now: Date,
): Promise<MadeApiToken> => {
  const token = `zest_${newToken()}`
  const id = newId()
  await db.insert(apiTokens).values({ id, accountId, name, tokenDigest: digestToken(token), createdAt: now })
  return { id, name, createdAt: now.toISOString(), lastUsedAt: null, token }
}

/** @throws AppError NOT_FOUND */
export const deleteApiToken = async (db: Database, accountId: string, id: string): Promise<void> => {
  const gone = await db
    .delete(apiTokens)
    .where(and(eq(apiTokens.id, id), eq(apiTokens.accountId, accountId)))
    .returning({ id: apiTokens.id })
  if (gone.length === 0) throw errors.notFound('token')
}
