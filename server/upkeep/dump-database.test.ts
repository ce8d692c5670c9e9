import { mkdtempSync, rmSync } from 'node:fs'
import { spawnSync } from 'node:child_process'
import { writeFileSync, readFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { generateX25519Identity, identityToRecipient } from 'age-encryption'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import type { DatabaseEngine } from '../../core/contracts/site-databases.ts'
import { hasDatabaseServer, startDatabaseServer, type DatabaseServerBench } from '../testing/database-servers.ts'
import { neglectedContents } from '../testing/neglected-content.ts'
import { withDatabase } from '../databases/open-database-at.ts'
import { dumpDatabase, IncompleteDump } from './dump-database.ts'
import { builtLike, differencesOf, restoreInto } from './restore-database.ts'
import { linesOfSealedFile, newEndMark, sqlText, statementsOf, writeSealedFile } from './sql-file.ts'

const NOW = new Date('2026-11-20T12:00:00Z')

/** What dumps go wrong with: quotes, line breaks, other scripts, bytes, numbers at their limits, keys that count, and what calls itself the end. */
const HARD: Record<DatabaseEngine, string[]> = {
  postgresql: [
    `create type mood as enum ('calm', 'sto''rmy')`,
    `create domain short as varchar(20) check (length(value) > 1)`,
    `create schema "Other side"`,
    `create table "Other side"."Odd ""name""" (id int generated always as identity primary key, "a b" short, m mood default 'calm', big numeric(40, 12), f double precision, bytes bytea, tags text[], doc jsonb, doubled int generated always as (length("a b") * 2) stored)`,
    `insert into "Other side"."Odd ""name""" ("a b", m, big, f, bytes, tags, doc) values
      ('it''s', 'sto''rmy', 12345678901234567890.123456789012, 0.1, '\\x00ff10', array['a,b', 'c"d', null], '{"k": "v\\n"}'),
      (E'back\\\\slash', 'calm', null, 'NaN', null, '{}', 'null'), (E'two\\r\\nli\\rn\\u2028es', 'calm', -0.5, 1e308, '\\x', null, '[]'), ('日本語 ø', 'calm', 0, '-Infinity', null, null, null)`,
    `create table children (id serial primary key, parent int references "Other side"."Odd ""name""" (id) on delete cascade, at timestamptz default now(), note text unique)`,
    `insert into children (parent, at, note) values (1, '2026-03-29 02:30:00.123456+00', '-- statements end with: -- x'), (null, 'infinity', ''), (2, '1999-12-31 23:59:59+00', ';;')`,
    `create index children_note on children (lower(note)) where parent is not null`,
    `create function twice(n int) returns int language plpgsql as $$ begin return n * 2; end $$`,
    `create view calm as select * from "Other side"."Odd ""name""" where m = 'calm'`,
    `create function touch() returns trigger language plpgsql as $$ begin new.at := new.at; return new; end $$`,
    `create trigger touched before update on children for each row execute function touch()`,
    `comment on column children.note is 'It''s a note'`,
  ],
  mariadb: [
    "create table `Odd ``name``` (id int auto_increment primary key, `a b` varchar(20), m enum('calm','sto''rmy') default 'calm', big decimal(40,12), f double, bytes blob, bits bit(10), doc json, doubled int generated always as (char_length(`a b`) * 2) stored, at timestamp(6) default current_timestamp(6), day date) default charset utf8mb4",
    "insert into `Odd ``name``` (`a b`, m, big, f, bytes, bits, doc, at, day) values ('it''s', 'sto''rmy', 12345678901234567890.123456789012, 0.1, x'00ff10', b'1011', '{\"k\": \"v\"}', '2026-03-29 02:30:00.123456', '0000-00-00'), ('back\\\\slash', 'calm', null, 1e308, x'', null, null, '2026-01-01 00:00:00', null), ('two\\r\\nli\\rn\u2028es', 'calm', -0.5, 2.2250738585072014e-308, null, b'0', '[]', '1999-12-31 23:59:59', '2026-02-28'), ('日本語 ø', 'calm', 0, 0, null, null, null, '2026-01-01 00:00:00', null)",
    'create table children (id int auto_increment primary key, parent int, note varchar(100) unique, key parent (parent), constraint p foreign key (parent) references `Odd ``name``` (id) on delete cascade) engine=innodb',
    "insert into children (parent, note) values (1, '-- statements end with: -- x'), (null, ''), (2, ';;')",
    'create view calm as select id, note from children where parent is not null',
    'create trigger touched before insert on children for each row begin set new.note = trim(new.note); end',
    'create function twice(n int) returns int deterministic begin return n * 2; end',
  ],
}

describe.each<DatabaseEngine>(['postgresql', 'mariadb'])('A backup of %s', (engine) => {
  let server: DatabaseServerBench
  const folder = mkdtempSync(join(tmpdir(), 'zest-dump-'))
  let [identity, recipient] = ['', '']
  beforeAll(async () => {
    identity = await generateX25519Identity()
    recipient = await identityToRecipient(identity)
    if (hasDatabaseServer[engine]) server = await startDatabaseServer(engine)
  }, 120_000)
  afterAll(async () => {
    await (server as DatabaseServerBench | undefined)?.stop()
    rmSync(folder, { recursive: true, force: true })
  })
  let made = 0
  const filled = async (statements: readonly string[]): Promise<Awaited<ReturnType<typeof server.newDatabase>>> => {
    const place = await server.newDatabase(`filled${++made}`)
    await withDatabase(
      () => server.open(place),
      async (db) => {
        for (const statement of statements) await db.run(statement)
      },
    )
    return place
  }
  const backedUp = async (place: Awaited<ReturnType<typeof server.newDatabase>>) =>
    withDatabase(
      () => server.open(place, 'reading'),
      async (db) => {
        const built = await builtLike(db)
        const dump = await dumpDatabase(db, () => undefined)
        const path = join(folder, `${place.database}.sql.gz.age`)
        const file = await writeSealedFile(path, sqlText(newEndMark(), dump.statements), recipient)
        return { path, file, tables: dump.tables, built }
      },
    )

  test.skipIf(!hasDatabaseServer[engine]).each([
    ['of a neglected content system', () => neglectedContents(engine, NOW, 1)[0]!.statements],
    ['with everything that is hard to write down', () => HARD[engine]],
  ])('%s is restored equal to the row, by us and by the database’s own client', async (_what, statements) => {
    const place = await filled(statements())
    const { path, file, tables, built } = await backedUp(place)
    expect(file.sha256).toMatch(/^[\da-f]{64}$/)
    expect(tables.length).toBeGreaterThan(1)

    const ours = await server.newDatabase(`${place.database}_ours`)
    const differences = await withDatabase(
      () => server.open(ours),
      async (db) => {
        await restoreInto(db, statementsOf(linesOfSealedFile(path, identity)), async () => undefined)
        return differencesOf(db, tables, built)
      },
    )
    expect(differences).toEqual([])

    const theirs = await server.newDatabase(`${place.database}_theirs`)
    const lines: string[] = []
    for await (const line of linesOfSealedFile(path, identity)) lines.push(line)
    server.client(theirs, lines.join('\n'))
    expect(
      await withDatabase(
        () => server.open(theirs),
        (db) => differencesOf(db, tables, built),
      ),
    ).toEqual([])
  })

  test.skipIf(!hasDatabaseServer[engine])('that lost a row, a value or an index on the way is not proved', async () => {
    const place = await filled(HARD[engine])
    const { tables, built } = await backedUp(place)
    await withDatabase(
      () => server.open(place),
      async (db) => {
        await db.run("update children set note = 'another' where parent is null")
        await db.run(engine === 'postgresql' ? 'drop index children_note' : 'drop trigger touched')
        expect((await differencesOf(db, tables, built)).join(' ')).toMatch(
          /children hold other values.*missing or written otherwise/,
        )
        await db.run('delete from children where parent is null')
        expect(await differencesOf(db, tables, built)).toContain('The table children has 2 rows instead of 3.')
      },
    )
  })

  test.skipIf(!hasDatabaseServer[engine] || engine === 'mariadb')(
    'is not made of what cannot be written down',
    async () => {
      const place = await filled(['create table parted (id int, at date) partition by range (at)'])
      await withDatabase(
        () => server.open(place, 'reading'),
        async (db) => expect(dumpDatabase(db, () => undefined)).rejects.toThrow(IncompleteDump),
      )
    },
  )
})

test('A backup is opened by age and gunzip alone, and by nobody without the key', async () => {
  const folder = mkdtempSync(join(tmpdir(), 'zest-age-'))
  try {
    const identity = await generateX25519Identity()
    const path = join(folder, 'file.age')
    await writeSealedFile(
      path,
      sqlText('-- 012345678901234567890', ['select 1;', 'select\n2;']),
      await identityToRecipient(identity),
    )
    expect(readFileSync(path, 'latin1')).not.toContain('select')
    writeFileSync(join(folder, 'key'), identity)
    const opened = spawnSync('sh', ['-c', `age -d -i ${folder}/key ${path} | gunzip`], { encoding: 'utf8' })
    if (spawnSync('age', ['--version']).status === 0)
      expect(opened.stdout).toBe(
        '-- statements end with: -- 012345678901234567890\nselect 1;\n-- 012345678901234567890\nselect\n2;\n-- 012345678901234567890\n',
      )
    const statements: string[] = []
    for await (const statement of statementsOf(linesOfSealedFile(path, identity))) statements.push(statement)
    expect(statements).toEqual(['select 1;', 'select\n2;'])
    const other = linesOfSealedFile(path, await generateX25519Identity())
    await expect(
      (async () => {
        for await (const line of other) expect(line).toBe('never')
      })(),
    ).rejects.toThrow()
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
})
