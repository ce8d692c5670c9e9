import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { DatabaseEngine } from '../../core/contracts/site-databases.ts'
import type { CleanUpGroup } from '../../core/contracts/clean-up.ts'
import { findGroups, type Found } from '../../core/upkeep/find-groups.ts'
import { keysSql } from '../../core/upkeep/group-sql.ts'
import { tableNamed, type DatabaseSchema } from '../../core/upkeep/database-schema.ts'
import { hasDatabaseServer, startDatabaseServer, type DatabaseServerBench } from './database-servers.ts'
import { neglectedContents, type NeglectedContent, type Planted } from './neglected-content.ts'
import type { OpenDatabase } from '../databases/open-database.ts'
import { readSchema } from '../databases/read-schema.ts'

const NOW = new Date('2026-11-20T12:00:00Z')
const ENGINES: DatabaseEngine[] = ['postgresql', 'mariadb']

/** Facts: everything planted in neglected databases is found, and nothing else. @param scale 100: about 200,000 rows */
export const describeFoundGroups = (scale: number): void =>
  describe.each(ENGINES)('What can go from a neglected database of %s', (engine) => {
    let server: DatabaseServerBench
    const databases = new Map<string, { db: OpenDatabase; schema: DatabaseSchema; found: Found }>()
    const contents = neglectedContents(engine, NOW, scale)

    beforeAll(async () => {
      if (!hasDatabaseServer[engine]) return
      server = await startDatabaseServer(engine)
      for (const { name, statements, segments } of contents) {
        const db = await server.open(await server.newDatabase(name))
        for (const statement of statements) await db.run(statement)
        const schema = await readSchema(db)
        const live = { segments: new Set(segments), texts: [] }
        databases.set(name, { db, schema, found: await findGroups(schema, db, { now: NOW, live }) })
      }
    }, 280_000)
    afterAll(async () => {
      for (const { db } of databases.values()) await db.end()
      await (server as DatabaseServerBench | undefined)?.stop()
    })

    /** How many rows of a condition are rows of a group. */
    const common = async (name: string, group: CleanUpGroup, { table, where }: Planted): Promise<[number, number]> => {
      const { db, schema } = databases.get(name)!
      const [key] = tableNamed(schema, table).key
      const [all] = await db.rows(`select count(*) from ${table} where ${where}`)
      if (group.table !== table) return [0, Number(all![0])]
      const [row] = await db.rows(
        `select count(*) from (select ${key} from ${table} where ${where}) p join (${keysSql({ schema, now: NOW }, { ...group, referring: where.includes('% 10') ? group.referring : [] })}) g on g.${key} = p.${key}`,
      )
      return [Number(row![0]), Number(all![0])]
    }
    const cases = contents.flatMap(({ name, planted, traps }: NeglectedContent) => [
      ...planted.map((one) => ({ name, ...one, which: 'is found' as const })),
      ...traps.map((one) => ({ name, ...one, which: 'is left alone' as const })),
    ])

    test.skipIf(!hasDatabaseServer[engine]).each(cases)('$name: $kind in $table $which', async (one) => {
      const { groups } = databases.get(one.name)!.found
      const shares = await Promise.all(
        groups.map(async ({ group }) => {
          const [hit, all] = await common(one.name, group, one)
          return { kind: group.kind, hit, all }
        }),
      )
      if (one.which === 'is left alone') expect(shares.filter(({ hit }) => hit > 0)).toEqual([])
      else expect(shares.some(({ kind, hit, all }) => kind === one.kind && all > 0 && hit >= all * 0.95)).toBe(true)
    })
  })
