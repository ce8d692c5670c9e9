import { jsonb, pgTable, text } from 'drizzle-orm/pg-core'
import type { ObjectsSettings } from '../../core/contracts/objects.ts'
import { siteId } from './schema.ts'

/** The object cache of a site; one without a row was never switched on. */
export const objectCaches = pgTable('object_caches', {
  siteId: siteId().primaryKey(),
  settings: jsonb('settings').$type<ObjectsSettings>().notNull(),
  /** SHA-256 of the password, hexadecimal; null: none was made yet. */
  passwordDigest: text('password_digest'),
})
