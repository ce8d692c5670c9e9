import type { AddressInfo } from 'node:net'
import type { Server } from 'node:net'
import { Client } from 'pg'
import { afterAll, beforeAll, expect, test } from 'vitest'
import { SiteDatabase } from './content/database.ts'
import { databaseServer } from './database-server.ts'

let database: SiteDatabase
let server: Server
beforeAll(async () => {
  database = await SiteDatabase.open(undefined)
  server = databaseServer(database.engine, 'ferry', 'secret')
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
})
afterAll(async () => {
  server.close()
  await database.close()
})
const connected = async (password = 'secret'): Promise<Client> => {
  const { port } = server.address() as AddressInfo
  const client = new Client({ host: '127.0.0.1', port, user: 'ferry', database: 'ferry', password })
  await client.connect()
  return client
}

test('Clients of the demo’s database have their own settings, and the site has none of them', async () => {
  const [reader, writer] = [await connected(), await connected()]
  await reader.query('set default_transaction_read_only to on')
  await expect(reader.query("insert into albums values ('a', 'A')")).rejects.toThrow('read-only')
  await writer.query("insert into albums values ('b', $1)", ['B'])
  await database.session().all("insert into albums values ('c', 'C')")
  expect((await reader.query('select slug from albums order by slug')).rows).toEqual([{ slug: 'b' }, { slug: 'c' }])
  await Promise.all([reader.end(), writer.end()])
})

test('Whoever is in a transaction has the demo’s database alone, until its connection ends', async () => {
  const client = await connected()
  await client.query('begin')
  await client.query("insert into albums values ('d', 'D')")
  const counted = database.session().all("select * from albums where slug = 'd'")
  await client.end()
  // What was not committed is undone, and only then does the site go on.
  expect(await counted).toEqual([])
})

test('A wrong password opens the demo’s database to nobody', async () => {
  await expect(connected('wrong')).rejects.toThrow('password authentication failed')
})
