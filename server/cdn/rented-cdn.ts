import { eq } from 'drizzle-orm'
import { compareAnswers } from '../../core/cdn/compare-answers.ts'
import type {
  CdnFigures,
  CdnFinding,
  CdnProviderId,
  CdnScope,
  RentedCdn,
  RentedCdnDraft,
  RentedCdnState,
} from '../../core/contracts/rented-cdn.ts'
import type { Region } from '../../core/contracts/regions.ts'
import { isOpenWay } from '../../core/http/private-addresses.ts'
import { newId } from '../accounts/secrets.ts'
import { rentedCdns } from '../db/cdn-schema.ts'
import type { Database, HasDatabase } from '../db/database.ts'
import { errors } from '../errors/app-errors.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasAddresses } from '../net/addresses.ts'
import { OutsideFailure } from '../net/outside-request.ts'
import { getTrial } from '../release/setups.ts'
import { getSite, siteRow } from '../sites/sites.ts'
import { CdnFailure, type CdnAccount, type CdnProvider } from './cdn-provider.ts'
import { observeCdn } from './observe-cdn.ts'
import { simulatedProvider } from './simulated-provider.ts'

/** For whoever tells of the simulated provider. */
export interface HasDemoCdn {
  /** How the one of the demo is reached, where it runs. */
  readonly demoCdn?: { readonly apiAddress: string; readonly token: string } | undefined
}

type Row = typeof rentedCdns.$inferSelect

/** Providers whose API is known; a CDN that fetches from an origin needs none. */
const PROVIDERS: Record<CdnProviderId, CdnProvider | undefined> = { simulated: simulatedProvider, any: undefined }

const rowOf = async (db: Database, siteId: string): Promise<Row | undefined> => {
  const [row] = await db.select().from(rentedCdns).where(eq(rentedCdns.siteId, siteId))
  return row
}

const change = async (db: Database, siteId: string, changes: Partial<Row>): Promise<void> => {
  await db.update(rentedCdns).set(changes).where(eq(rentedCdns.siteId, siteId))
}

const shownAs = (row: Row): RentedCdn => ({
  provider: row.provider,
  scope: row.scope,
  hostUrl: row.hostUrl,
  apiAddress: row.apiAddress,
  hasToken: row.token !== null,
  state: row.state,
  problem: row.problem,
  purge: row.purge,
  check: row.check,
})

/** The CDN that a site rents, if any. @throws AppError NOT_FOUND */
export const rentedCdnOf = async (
  services: HasDatabase & HasAddresses & HasDemoCdn,
  siteId: string,
): Promise<RentedCdnState> => {
  const { liveUrl } = await getSite(services, siteId)
  const row = await rowOf(services.db, siteId)
  return { originUrl: liveUrl, cdn: row === undefined ? null : shownAs(row), demo: services.demoCdn ?? null }
}

/** Keep what the owner says. Another provider or account is another distribution. @throws AppError NOT_FOUND, CDN_NEEDS_TLS */
export const saveRentedCdn = async (
  services: HasDatabase & HasAddresses & HasDemoCdn,
  siteId: string,
  { provider, scope, hostUrl, apiAddress, token }: RentedCdnDraft,
): Promise<RentedCdnState> => {
  const { db } = services
  await siteRow(db, siteId)
  if (apiAddress !== null && isOpenWay(apiAddress)) throw errors.cdnNeedsTls(apiAddress)
  const before = await rowOf(db, siteId)
  const isSame = before?.provider === provider && before.apiAddress === apiAddress
  // A token is for the one whose account it opens.
  const kept = token ?? (isSame ? before.token : null)
  const entered = { state: 'entered', problem: null, distributionId: null, purge: null, reference: newId() } as const
  const row = {
    ...(isSame ? {} : entered),
    ...{ provider, scope, apiAddress, token: kept, check: null },
    hostUrl: hostUrl ?? (isSame ? before.hostUrl : null),
  }
  await db
    .insert(rentedCdns)
    .values({ siteId, ...entered, ...row })
    .onConflictDoUpdate({ target: rentedCdns.siteId, set: row })
  return rentedCdnOf(services, siteId)
}

/** Forget it here; at the provider it stays. */
export const forgetRentedCdn = async ({ db }: HasDatabase, siteId: string): Promise<void> => {
  await db.delete(rentedCdns).where(eq(rentedCdns.siteId, siteId))
}

/** The account of a row at its provider. @throws AppError when there is no API to ask */
const accountOf = async (
  db: Database,
  row: Row | undefined,
): Promise<{ provider: CdnProvider; account: CdnAccount }> => {
  if (row === undefined) throw errors.notFound('rented CDN')
  const provider = PROVIDERS[row.provider]
  if (provider === undefined || row.apiAddress === null) throw errors.cdnWithoutApi()
  const { hosts } = await siteRow(db, row.siteId)
  return {
    provider,
    account: { apiAddress: row.apiAddress, token: row.token ?? '', reach: hosts.privateAddresses },
  }
}

const sentenceOf = (error: unknown): string => {
  if (error instanceof CdnFailure || error instanceof OutsideFailure) return error.message
  throw error
}

/**
 * Have the provider set up a distribution that fetches from live. What was broken off is taken up again: the order carries the same reference.
 * @throws AppError NOT_FOUND, CDN_WITHOUT_API
 */
export const createAtProvider = async (
  services: HasDatabase & HasAddresses & HasDemoCdn,
  siteId: string,
): Promise<RentedCdnState> => {
  const { db } = services
  const row = await rowOf(db, siteId)
  const { provider, account } = await accountOf(db, row)
  const { liveUrl } = await getSite(services, siteId)
  // Kept first: whatever becomes of the answer, it is known that the provider was asked.
  await change(db, siteId, { state: 'creating', problem: null })
  try {
    const reference = row?.reference ?? ''
    const { id, hostUrls } = await provider.create(account, { originUrl: liveUrl, reference })
    await change(db, siteId, { state: 'ready', distributionId: id, hostUrl: hostUrls[0] ?? null, problem: null })
  } catch (error) {
    await change(db, siteId, { state: 'failed', problem: sentenceOf(error) })
  }
  return rentedCdnOf(services, siteId)
}

/** Nothing of the home page says whether the CDN works. */
const NOTHING_TO_ASK: CdnFinding = {
  id: 'reachable',
  state: 'unknown',
  path: '/',
  sentence: 'The home page names no style sheet of its own, so there is no file to ask the CDN for.',
  remedy: 'Open a file of your site by the host name of the CDN yourself.',
}

/** Compare what was set with what comes through the CDN. @throws AppError NOT_FOUND, CDN_HOST_NEEDED */
export const checkRentedCdn = async (
  services: HasDatabase & HasAddresses & HasDemoCdn & HasClock,
  siteId: string,
): Promise<RentedCdnState> => {
  const { db, now } = services
  const row = await rowOf(db, siteId)
  if (row === undefined) throw errors.notFound('rented CDN')
  if (row.hostUrl === null) throw errors.cdnHostNeeded()
  const { scope, hostUrl } = row
  const site = await getSite(services, siteId)
  const { setup } = await getTrial(services, siteId)
  const [session = 'session'] = setup.remedies.pageCache.visitorCookies.map((name) => name.replaceAll('*', 'check'))
  const findings = await observeCdn(services, site, { hostUrl, scope, session })
    .then((seen): CdnFinding[] => (seen.length === 0 ? [NOTHING_TO_ASK] : compareAnswers(seen, scope)))
    .catch((error: unknown): CdnFinding[] => [
      {
        id: 'reachable',
        state: 'differs',
        path: '/',
        sentence: sentenceOf(error),
        remedy: 'Check the host name of the CDN, and that this machine reaches it.',
      },
    ])
  await change(db, siteId, { check: { at: now().toISOString(), findings } })
  return rentedCdnOf(services, siteId)
}

/** Ask the provider, and tell its failures as the API tells them. */
const asked = async <T>(
  { db }: HasDatabase,
  siteId: string,
  ask: (provider: CdnProvider, account: CdnAccount, id: string) => Promise<T>,
): Promise<T> => {
  const row = await rowOf(db, siteId)
  const { provider, account } = await accountOf(db, row)
  return ask(provider, account, row?.distributionId ?? '').catch((error: unknown) => {
    throw errors.cdnProvider(sentenceOf(error))
  })
}

/** Regions of the provider, with prices. @throws AppError */
export const cdnRegions = (services: HasDatabase, siteId: string): Promise<Region[]> =>
  asked(services, siteId, (provider, account) => provider.regions(account))

/** What the provider has counted this month. @throws AppError */
export const cdnFigures = (services: HasDatabase, siteId: string): Promise<CdnFigures> =>
  asked(services, siteId, (provider, account, id) => provider.figures(account, id))

/** Sites whose CDN can be told of purges, with the way to tell it. */
export const purgeableCdn = async (
  db: Database,
  siteId: string,
): Promise<{ provider: CdnProvider; account: CdnAccount; id: string; scope: CdnScope } | undefined> => {
  const row = await rowOf(db, siteId)
  if (row?.state !== 'ready' || row.distributionId === null || PROVIDERS[row.provider] === undefined) return undefined
  return { ...(await accountOf(db, row)), id: row.distributionId, scope: row.scope }
}

/** Write down how the last purge at the provider went. */
export const notePurge = (db: Database, siteId: string, purge: NonNullable<RentedCdn['purge']>): Promise<void> =>
  change(db, siteId, { purge })
