import { mkdtemp, writeFile } from 'node:fs/promises'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest'
import { UsageError } from './command-line.ts'
import { runCommand } from './commands.ts'
import { aSite } from '../web/testing/a-site.ts'

const at = '/api/v1/sites/quay'
const job = {
  ...{ id: 'j', siteId: 'quay', kind: 'certificate', title: 'x', subjectId: 'quay', state: 'done', done: 1, total: 1 },
  ...{ now: '', msLeft: null, error: null, createdAt: '2026-11-24T00:00:00.000Z', finishedAt: null },
}
const automatic = {
  ...{ host: 'quay.example', directory: 'https://ca.example/dir', contact: 'k@quay.example', challenge: 'dns-01' },
  ...{ hasExternalAccount: false, state: 'waiting-for-dns', problem: null, lastTryAt: null, nextTryAt: null },
  ...{ validUntil: null, record: { name: '_acme-challenge.quay.example', value: 'k3y' } },
}
const old = { name: 'quay.example.', ttl: 7200, type: 'A', data: '192.0.2.1' }
const plan = {
  ...{ zone: 'quay.example', records: [old], isWhole: true, problems: [], lowerFirst: [old], waitS: 7200 },
  ...{ changes: [{ what: 'remove', record: old }], notes: ['See to mail.'], zoneFile: '', zoneFileBefore: '' },
}
let lines: string[]
let asked: { what: string; body: unknown }[]
beforeEach(() => {
  lines = []
  asked = []
  const answers: Record<string, unknown> = {
    'GET /api/v1/sites': [aSite()],
    'GET /api/v1/jobs/j': job,
    [`GET ${at}/certificate/automatic`]: { automatic },
    [`PUT ${at}/certificate/automatic`]: job,
    [`POST ${at}/certificate/automatic/tries`]: job,
    [`POST ${at}/going-live/dns-plans`]: plan,
  }
  vi.stubGlobal('fetch', async (address: string, init: RequestInit = {}) => {
    const what = `${init.method ?? 'GET'} ${new URL(address).pathname}`
    asked.push({ what, body: typeof init.body === 'string' ? JSON.parse(init.body) : undefined })
    return what.startsWith('DELETE') ? new Response(null, { status: 204 }) : Response.json(answers[what])
  })
})
afterEach(() => vi.unstubAllGlobals())
const run = (...args: string[]) =>
  runCommand(args, { ZEST_API_TOKEN: 't' }, { line: (text) => lines.push(text), note: (text) => lines.push(text) })
const sent = (what: string) => asked.find((one) => one.what === what)?.body

describe('zest certificate', () => {
  test('says where it stands, and which record is missing', async () => {
    expect(await run('certificate', 'quay')).toBe(0)
    expect(lines).toContain('enter in the DNS   _acme-challenge.quay.example TXT "k3y"')
  })
  test('gets one, with an account of the owner’s, whose key comes from a file', async () => {
    const file = join(await mkdtemp(join(tmpdir(), 'zest-cli-')), 'key')
    await writeFile(file, 'abc_-\n')
    const given = ['--directory', 'https://ca.example/dir', '--contact', 'k@quay.example', '--agree-terms', '--dns']
    await run('certificate', 'quay', 'get', ...given, '--account-key-id', 'harbour', '--account-key-file', file)
    expect(sent(`PUT ${at}/certificate/automatic`)).toEqual({
      directory: 'https://ca.example/dir',
      contact: 'k@quay.example',
      challenge: 'dns-01',
      termsAgreed: true,
      externalAccount: { keyId: 'harbour', key: 'abc_-' },
    })
  })
  test.each([
    [['get'], /--directory/],
    [['get', '--directory', 'https://ca.example', '--contact', 'a@b.example'], /--agree-terms/],
    [['forget'], /get, renew, stop/],
  ])('%j is not understood', async (words, sentence) => {
    const refused = run('certificate', 'quay', ...words)
    await expect(refused).rejects.toThrow(UsageError)
    await expect(refused).rejects.toThrow(sentence)
  })
  test('is renewed, or no longer', async () => {
    await run('certificate', 'quay', 'renew')
    await run('certificate', 'quay', 'stop')
    const whats = asked.map(({ what }) => what)
    expect(whats).toContain(`POST ${at}/certificate/automatic/tries`)
    expect(whats).toContain(`DELETE ${at}/certificate/automatic`)
  })
})

describe('zest dns', () => {
  test('prints what to lower, how long to wait, which lines change, and what else to see to', async () => {
    expect(await run('dns', 'quay', '--address', '198.51.100.7', '--address', '2001:db8::7')).toBe(0)
    expect(sent(`POST ${at}/going-live/dns-plans`)).toMatchObject({ addresses: ['198.51.100.7', '2001:db8::7'] })
    expect(lines).toEqual([
      'lower to 300   quay.example. 7200 A 192.0.2.1',
      'then wait      7200 s',
      'remove         quay.example. 7200 A 192.0.2.1',
      'See to mail.',
    ])
  })
  test('wants to know where Zest Lamp runs', async () => {
    await expect(run('dns', 'quay')).rejects.toThrow(/--address/)
  })
})
