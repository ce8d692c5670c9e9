import { readFileSync } from 'node:fs'
import { setTimeout as pause } from 'node:timers/promises'
import { z } from 'zod'
import type { CleanUpGroup } from '../../core/contracts/clean-up.ts'
import { DatabasePlace } from '../../core/contracts/site-databases.ts'
import { openDatabaseAt, withDatabase } from '../databases/open-database-at.ts'
import type { OpenDatabase } from '../databases/open-database.ts'
import { readSchema } from '../databases/read-schema.ts'
import { cleanUpGroups } from '../upkeep/clean-up-groups.ts'
import { RemovedFile } from '../upkeep/removed-file.ts'

/** For tests: a clean-up of the first neglected database, in a process that can be killed. */
const { place, password, removed } = z
  .object({ place: DatabasePlace, password: z.string(), removed: z.string() })
  .parse(JSON.parse(readFileSync(process.argv[2] ?? '', 'utf8')))
const open = (): Promise<OpenDatabase> =>
  openDatabaseAt({ place, secret: { password, tunnel: { kind: 'none' } }, reach: 'allowed', allows: 'clean-up' })

const along = (table: string): CleanUpGroup['referring'][number] => ({
  table,
  column: 'leaflet_no',
  key: 'leaflet_no',
  treat: 'remove',
})
const groups: CleanUpGroup[] = [
  {
    ...{ id: 'trash', kind: 'trash', name: 'Trash', table: 'leaflets', keep: null },
    where: [{ is: 'one-of', column: 'stage', values: ['binned'] }],
    referring: [along('leaflet_states'), along('remarks')],
  },
  {
    ...{ id: 'revisions', kind: 'revisions', name: 'Revisions', table: 'leaflet_states', where: [], referring: [] },
    keep: { per: 'leaflet_no', by: 'written', form: 'time', newest: 2, youngerThanDays: null },
  },
]
const file = await RemovedFile.open(removed)
await cleanUpGroups(
  groups,
  groups.map(({ id, name, table }) => ({ id, name, table, removed: 0, along: 0, left: 0, state: 'waiting' })),
  {
    open,
    scope: { schema: await withDatabase(open, readSchema), now: new Date() },
    writeDown: (statements) => file.append(statements),
    pace: {
      elapsed: () => performance.now(),
      // Small batches all the time: there are more moments to be killed in.
      pause: async () => void (await pause(1)),
      whenQuiet: async () => undefined,
    },
    signal: new AbortController().signal,
    told: async () => void process.send?.('batch'),
  },
)
await file.close()
process.exit(0)
