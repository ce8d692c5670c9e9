import { mkdirSync, mkdtempSync, readdirSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import { fetchWebServer, NotFetched, type RunCommand } from './fetch-web-server.ts'
import { serverProgram } from './server-programs.ts'

/** The system's package programs as stand-ins: what is asked of them, and what becomes of what they say. */

let folder: string
let asked: string[]
const said = new Map<string, { code: number; said: string }>()
const { signal } = new AbortController()

beforeEach(() => {
  folder = mkdtempSync(join(tmpdir(), 'zest-servers-'))
  asked = []
  said.clear()
  said.set('install', {
    code: 0,
    said: 'Inst libpcre9 (1.2 Debian:12 [amd64])\nInst nginx (1.22 Debian:12 [amd64])\nConf nginx\n',
  })
})
afterEach(() => rmSync(folder, { recursive: true, force: true }))

const run: RunCommand = (program, args, { cwd }) => {
  asked.push(`${program} ${args.filter((one) => !one.startsWith('-') && !one.includes('::')).join(' ')}`)
  const [order = ''] = args
  const answer = said.get(order) ?? { code: 0, said: '' }
  if (order === 'download' && answer.code === 0)
    for (const name of ['nginx', 'libpcre9']) writeFileSync(join(cwd, `${name}_1_amd64.deb`), '')
  if (order === '--extract' && answer.code === 0 && args[1]?.startsWith('nginx') === true) {
    mkdirSync(join(args[2] ?? '', 'usr/sbin'), { recursive: true })
    mkdirSync(join(args[2] ?? '', 'usr/lib/x86_64-linux-gnu'), { recursive: true })
    writeFileSync(join(args[2] ?? '', 'usr/sbin/nginx'), '')
  }
  return Promise.resolve(answer)
}

describe('A web server that is not on this machine', () => {
  test('is unpacked into a folder of ours with what it needs, and nothing is installed', async () => {
    const program = await fetchWebServer('nginx', folder, signal, run)
    expect(asked).toEqual([
      '/usr/bin/apt-get install nginx',
      '/usr/bin/apt-get download nginx libpcre9',
      expect.stringMatching(/^\/usr\/bin\/dpkg-deb libpcre9_1_amd64\.deb /),
      expect.stringMatching(/^\/usr\/bin\/dpkg-deb nginx_1_amd64\.deb /),
    ])
    expect(program).toEqual({
      program: join(folder, 'nginx/usr/sbin/nginx'),
      modules: join(folder, 'nginx/usr/lib/apache2/modules'),
      libraries: join(folder, 'nginx/usr/lib/x86_64-linux-gnu'),
    })
    expect(readdirSync(folder)).toEqual(['nginx'])
  })

  test('is found there the next time', async () => {
    await fetchWebServer('nginx', folder, signal, run)
    const before = process.env['ZEST_NGINX']
    process.env['ZEST_NGINX'] = '/nowhere/nginx'
    try {
      expect(serverProgram('nginx', folder)?.program).toBe(join(folder, 'nginx/usr/sbin/nginx'))
      expect(serverProgram('nginx', '/nowhere')).toBeUndefined()
    } finally {
      if (before === undefined) delete process.env['ZEST_NGINX']
      else process.env['ZEST_NGINX'] = before
    }
  })

  test.each([
    [
      'install',
      'E: Unable to locate package nginx',
      /could not be fetched .*Unable to locate package nginx Bring the package lists up to date/,
    ],
    ['download', 'E: Failed to fetch http://packages.example/nginx.deb  404', /Failed to fetch .* 404/],
    ['--extract', 'dpkg-deb: error: unexpected end of file', /unexpected end of file/],
  ])('leaves nothing half done where %s fails, and says what to do', async (order, words, sentence) => {
    said.set(order, { code: 100, said: `Reading package lists...\n${words}\n` })
    const failure = await fetchWebServer('nginx', folder, signal, run).catch((error: unknown) => error)
    expect(failure).toBeInstanceOf(NotFetched)
    expect((failure as Error).message).toMatch(sentence)
    expect(readdirSync(folder)).toEqual([])
  })

  test('is not asked for by names that are no names of packages', async () => {
    said.set('install', { code: 0, said: 'Inst --purge (1)\nInst ../../etc (1)\nInst nginx (1)\n' })
    await fetchWebServer('nginx', folder, signal, run)
    expect(asked[1]).toBe('/usr/bin/apt-get download nginx')
  })
})
