import { jsonb, pgTable, text } from 'drizzle-orm/pg-core'
import type { RentedCdn } from '../../core/contracts/rented-cdn.ts'
import { siteId } from './schema.ts'
import { secretText } from './secret-text.ts'

/** The CDN that a site rents. */
export const rentedCdns = pgTable('rented_cdns', {
  siteId: siteId().primaryKey(),
  provider: text('provider').$type<RentedCdn['provider']>().notNull(),
  scope: text('scope').$type<RentedCdn['scope']>().notNull(),
  hostUrl: text('host_url'),
  apiAddress: text('api_address'),
  token: secretText('token'),
  /** By which the provider knows an order again that was broken off. */
  reference: text('reference').notNull(),
  /** What the provider calls it. */
  distributionId: text('distribution_id'),
  state: text('state').$type<RentedCdn['state']>().notNull(),
  problem: text('problem'),
  purge: jsonb('purge').$type<NonNullable<RentedCdn['purge']>>(),
  check: jsonb('check').$type<NonNullable<RentedCdn['check']>>(),
})
