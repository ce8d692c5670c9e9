import { mkdirSync, mkdtempSync, writeFileSync } from 'node:fs'
import { createServer, type Server } from 'node:http'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { brotliCompressSync, gzipSync } from 'node:zlib'
import Koa from 'koa'
import { afterAll, beforeAll, describe, expect, test } from 'vitest'
import { interfaceFiles } from './interface-files.ts'

const SCRIPT = 'export const ferry = "on time"'
let server: Server
let url: string
let folder: string

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'interface-'))
  mkdirSync(join(folder, 'assets'))
  for (const [name, text] of [
    ['index.html', '<!doctype html><title>Zest Lamp</title>'],
    ['assets/main-Abc123.js', SCRIPT],
  ] as const) {
    writeFileSync(join(folder, name), text)
    writeFileSync(join(folder, `${name}.br`), brotliCompressSync(text))
    writeFileSync(join(folder, `${name}.gz`), gzipSync(text))
  }
  const app = new Koa()
  app.use(interfaceFiles(folder))
  server = createServer((request, response) => void app.callback()(request, response))
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  url = `http://127.0.0.1:${(server.address() as { port: number }).port}`
})
afterAll(() => server.close())

/** What fetch decodes is what a browser decodes. */
const get = (path: string, accepted: string) => fetch(url + path, { headers: { 'accept-encoding': accepted } })

describe('a file of the interface', () => {
  test.each([
    ['gzip, deflate, br, zstd', 'br'],
    ['gzip', 'gzip'],
    ['identity', null],
  ])('is sent to who accepts "%s" as %s', async (accepted, coding) => {
    const answer = await get('/assets/main-Abc123.js', accepted)
    expect(answer.headers.get('content-encoding')).toBe(coding)
    expect(answer.headers.get('vary')).toMatch(/accept-encoding/i)
    expect(answer.headers.get('content-type')).toMatch(/javascript/)
    expect(await answer.text()).toBe(SCRIPT)
  })
  test('is served as soon as it is built, without a restart', async () => {
    writeFileSync(join(folder, 'assets', 'later-Def456.js'), SCRIPT)
    expect(await (await get('/assets/later-Def456.js', 'br')).text()).toBe(SCRIPT)
  })
  test('holds for a year where its name has a fingerprint, and is asked for again where not', async () => {
    const holding = async (path: string) => (await get(path, 'br')).headers.get('cache-control')
    expect(await holding('/assets/main-Abc123.js')).toBe('max-age=31536000, immutable')
    expect(await holding('/')).toBe('no-cache')
    expect(await holding('/sites/one/remedies')).toBe('no-cache')
  })
  test.each(['/assets/other.js', '/../package.json', '/%2e%2e/package.json', '/unknown/view'])(
    'that is not there is not found: %s',
    async (path) => expect((await get(path, 'br')).status).toBe(404),
  )
})
