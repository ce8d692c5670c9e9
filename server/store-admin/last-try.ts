import { sql, type SQL } from 'drizzle-orm'
import type { PgColumn } from 'drizzle-orm/pg-core'
import type { LastTry } from '../../core/contracts/sites.ts'

/** A JSON column with what came of the last try put in, the rest as it is by now; null stays null. */
export const withLast = (column: PgColumn, last: LastTry): SQL =>
  sql`jsonb_set(${column}, '{last}', ${JSON.stringify(last)}::jsonb)`
