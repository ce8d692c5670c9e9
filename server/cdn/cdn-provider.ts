import type { CdnFigures } from '../../core/contracts/rented-cdn.ts'
import type { Region } from '../../core/contracts/regions.ts'
import type { PrivateAddresses } from '../../core/http/private-addresses.ts'

/** How an owner's account at a provider is reached. */
export interface CdnAccount {
  readonly apiAddress: string
  readonly token: string
  readonly reach: PrivateAddresses
}

/** What is to be made at a provider. */
export interface NewDistribution {
  /** What it fetches from. */
  readonly originUrl: string
  /** The same again when an order is repeated whose answer was lost: it must not be made twice. */
  readonly reference: string
}

/** What a purge removes; anything that a provider cannot tell apart is removed with everything. */
export type CdnPurge = { readonly kind: 'paths'; readonly paths: readonly string[] } | { readonly kind: 'everything' }

/**
 * What Zest Lamp needs of a company that rents out a CDN: five operations (docs/cdn-providers.md). Each throws `CdnFailure` with a sentence that says
 * what to do; nothing else of a provider is known anywhere.
 */
export interface CdnProvider {
  /** Regions with their prices. */
  regions(account: CdnAccount): Promise<Region[]>
  /** Make a distribution that fetches from an origin. @returns what the provider calls it, and addresses by which visitors reach it */
  create(account: CdnAccount, order: NewDistribution): Promise<{ id: string; hostUrls: string[] }>
  /** Addresses by which visitors reach it now. */
  hostUrls(account: CdnAccount, id: string): Promise<string[]>
  purge(account: CdnAccount, id: string, what: CdnPurge): Promise<void>
  /** What it has served this month, and what that costs. */
  figures(account: CdnAccount, id: string): Promise<CdnFigures>
}

/** A provider could not do what it was asked; the sentence is shown. */
export class CdnFailure extends Error {}
