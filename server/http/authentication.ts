import type { HasDatabase } from '../db/database.ts'
import type { HasClock } from '../live/clock.ts'
import { timingSafeEqual } from 'node:crypto'
import type { Context } from 'koa'
import type { Account } from '../../core/contracts/accounts.ts'
import { accountOfApiToken, accountOfSession } from '../accounts/accounts.ts'
import { digestToken } from '../accounts/secrets.ts'
import { errors } from '../errors/app-errors.ts'

export const SESSION_COOKIE = 'zest_session'

/** Whoever holds the token given at start. */
export const OPERATOR: Account = { id: 'operator', name: 'start token' }

const sameDigest = (a: string, b: string): boolean =>
  a.length === b.length && timingSafeEqual(Buffer.from(a), Buffer.from(b))

const SAFE = new Set(['GET', 'HEAD', 'OPTIONS'])

/**
 * A cookie comes along with requests that other sites cause; those are refused. Fetch Metadata says who caused it, Origin
 * for browsers that do not send that.
 */
const refuseOtherSites = (ctx: Context): void => {
  if (SAFE.has(ctx.method)) return
  const site = ctx.get('sec-fetch-site')
  if (site !== '' && site !== 'same-origin' && site !== 'none') throw errors.otherSite()
  const origin = ctx.get('origin')
  if (origin !== '' && (!URL.canParse(origin) || new URL(origin).host !== ctx.host)) throw errors.otherSite()
}

/** Who sends a request: by API token, else by session cookie; undefined when nobody known. */
export const authenticate = async (
  ctx: Context,
  { db, startTokenDigest, now }: HasDatabase & HasStartToken & HasClock,
): Promise<Account | undefined> => {
  const bearer = /^Bearer +(\S+)$/i.exec(ctx.get('authorization'))?.[1]
  if (bearer !== undefined) {
    if (startTokenDigest !== undefined && sameDigest(digestToken(bearer), startTokenDigest)) return OPERATOR
    return accountOfApiToken(db, bearer, now())
  }
  const cookie = ctx.cookies.get(SESSION_COOKIE)
  if (cookie === undefined) return undefined
  refuseOtherSites(ctx)
  return accountOfSession(db, cookie, now())
}

/** For whoever tells who asks. */
export interface HasStartToken {
  /** Digest of the token given at start, if any. */
  readonly startTokenDigest: string | undefined
}
