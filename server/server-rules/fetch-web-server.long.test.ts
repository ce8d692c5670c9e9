import { mkdtempSync, rmSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { expect, test } from 'vitest'
import { fetchWebServer, mayFetch } from './fetch-web-server.ts'
import { RehearsalServer } from './rehearsal-server.ts'

/** From the packages of the system that this runs on. */
test.skipIf(!mayFetch()).each(['nginx', 'apache'] as const)('%s is fetched for real, and runs', async (kind) => {
  const folder = mkdtempSync(join(tmpdir(), 'zest-servers-'))
  try {
    const fetched = await fetchWebServer(kind, folder, new AbortController().signal)
    expect(fetched.program.startsWith(folder)).toBe(true)
    const server = await RehearsalServer.over(kind, fetched, [], folder)
    expect(await server.version()).toMatch(kind === 'apache' ? /^Apache\/2/ : /^nginx\/1/)
    // With its own modules and libraries.
    expect(await server.complaint(kind === 'apache' ? 'Header set x-tide high\n' : 'gzip on;\n')).toBeUndefined()
    await server.use('')
    expect((await server.ask('/', { host: 'orrin.example' })).status).toBe(404)
    await server.end()
  } finally {
    rmSync(folder, { recursive: true, force: true })
  }
})
