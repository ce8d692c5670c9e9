import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterEach, beforeEach, describe, expect, test } from 'vitest'
import type { Site } from '../../core/contracts/sites.ts'
import { ServerBench } from '../testing/server-bench.ts'

/** A content system with sessions, and a trial in front of it that behaves as each test wants. */

let bench: ServerBench
let site: Site
let trial: Server
let origin: Server
/** What the trial has stored, by path; undefined: it stores nothing. */
let stored: Map<string, string> | undefined
/** Whether the trial stores pages of signed-in visitors for everyone. */
let leaky = false
/** Whether the trial gives the guests' page to everyone. */
let membersGetGuests = false

const who = (req: IncomingMessage): string | undefined => /sid=(\w+)/.exec(req.headers.cookie ?? '')?.[1]
const render = (name: string | undefined): string =>
  `<!doctype html><h1>Quays</h1>${name === undefined ? '<a href="/sign-in">Sign in</a>' : `<p>Hello ${name}</p>`}`

const answerOrigin = (req: IncomingMessage, res: ServerResponse): void => {
  if (req.method === 'POST') {
    let body = ''
    req.on('data', (chunk: Buffer) => (body += chunk.toString()))
    req.on('end', () => {
      const form = new URLSearchParams(body)
      const good = form.get('pass') === 'right' && form.get('form_id') === 'f1'
      res.writeHead(303, { location: '/', ...(good ? { 'set-cookie': `sid=${form.get('user')}` } : {}) }).end()
    })
    return
  }
  if (req.url === '/sign-in')
    return void res
      .writeHead(200, { 'content-type': 'text/html' })
      .end(
        '<form action="/session"><input type="hidden" name="form_id" value="f1"><input name="user"><input type="password" name="pass"></form>',
      )
  res.writeHead(200, { 'content-type': 'text/html' }).end(render(who(req)))
}

const answerTrial = (req: IncomingMessage, res: ServerResponse): void => {
  const path = req.url!
  const name = membersGetGuests ? undefined : who(req)
  const copy = stored?.get(path)
  if (copy !== undefined && (leaky || name === undefined))
    return void res.writeHead(200, { 'cache-status': 'zest-lamp; hit; ttl=9' }).end(copy)
  const body = render(name)
  if (leaky || name === undefined) stored?.set(path, body)
  res.writeHead(200, { 'cache-status': 'zest-lamp; fwd=uri-miss; stored; ttl=9' }).end(body)
}

const listen = async (server: Server): Promise<number> => {
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve))
  return (server.address() as AddressInfo).port
}

beforeEach(async () => {
  stored = new Map()
  leaky = false
  membersGetGuests = false
  trial = createServer(answerTrial)
  origin = createServer(answerOrigin)
  const port = await listen(trial)
  bench = await ServerBench.open(port)
  bench.siteUrl = `http://127.0.0.1:${await listen(origin)}`
  site = await bench.connect()
})
afterEach(async () => {
  await bench.close()
  for (const server of [trial, origin]) {
    server.close()
    server.closeAllConnections()
  }
})

const withKind = (kind: Record<string, unknown>) => ({
  setup: { remedies: { pageCache: { enabled: true, kinds: [{ name: 'Quays', paths: ['/'], ...kind }] } } },
})
const putIntoTrial = async (kind: Record<string, unknown>): Promise<number> =>
  (await bench.call('PUT', `/sites/${site.id}/trial`, withKind(kind))).body.revision
const keep = (revision: number) => bench.call('POST', `/sites/${site.id}/trial/keep`, { revision })
const form = (user: string, pass = 'right') => ({ kind: 'form', fields: { user, pass } })
const check = async (visitors: unknown[] = [form('Annelies'), form('Bartholomew')]) => {
  const ordered = await bench.call('POST', `/sites/${site.id}/privacy/checks`, { visitors })
  await bench.services.jobs.idle()
  const { body } = await bench.call('GET', `/sites/${site.id}/privacy`)
  const job = (await bench.call('GET', `/jobs/${ordered.body.id}`)).body
  return { ordered, ...body, job }
}

describe('publishing', () => {
  test('what needs a privacy check is refused until one has passed with the same settings', async () => {
    const revision = await putIntoTrial({ overrule: true })
    const refused = await keep(revision)
    expect([refused.status, refused.body.code]).toEqual([409, 'PRIVACY_CHECK_NEEDED'])
    expect(refused.body.detail).toContain('Quays')
    const { latest, needed } = await check()
    expect([needed, latest.state, latest.current]).toEqual([['Quays'], 'passed', true])
    expect(latest.stored).toBeGreaterThan(0)
    expect((await keep(revision)).status).toBe(201)
  })
  test('a check of other settings does not count', async () => {
    await putIntoTrial({ overrule: true })
    await check()
    const revision = await putIntoTrial({ overrule: true, ignoredCookies: ['sid'] })
    expect((await bench.call('GET', `/sites/${site.id}/privacy`)).body.latest.current).toBe(false)
    expect((await keep(revision)).body.code).toBe('PRIVACY_CHECK_NEEDED')
  })
  test('what the safe defaults allow needs none', async () => {
    const revision = await putIntoTrial({ lifetimeS: 60 })
    expect(
      (await bench.call('POST', `/sites/${site.id}/privacy/checks`, { visitors: [form('a'), form('b')] })).body.code,
    ).toBe('NOTHING_TO_CHECK')
    expect((await keep(revision)).status).toBe(201)
  })
})

describe('a trial that hands one visitor’s page to others', () => {
  test('is found out, with both answers side by side, and cannot be published', async () => {
    leaky = true
    const revision = await putIntoTrial({ ignoredCookies: ['sid'] })
    const { latest } = await check()
    expect(latest.state).toBe('leaks')
    const [leak] = latest.leaks
    expect(leak).toMatchObject({ what: 'Annelies', path: '/' })
    expect(leak.owner.excerpt).toContain('Hello Annelies')
    expect(leak.reached.excerpt).toContain('Hello Annelies')
    expect((await keep(revision)).body.code).toBe('PRIVACY_CHECK_NEEDED')
  })
  test('one that hands the guests’ page to members is found out as well', async () => {
    membersGetGuests = true
    const revision = await putIntoTrial({ ignoredCookies: ['sid'] })
    const { latest } = await check()
    expect(latest.state).toBe('leaks')
    expect(new Set(latest.leaks.map(({ kind }: { kind: string }) => kind))).toEqual(new Set(['own-lost']))
    expect(latest.leaks[0]).toMatchObject({ what: 'Annelies', reached: { visitor: 'signed in, first' } })
    expect(latest.leaks[0].reached.excerpt).toContain('Sign in')
    expect((await keep(revision)).body.code).toBe('PRIVACY_CHECK_NEEDED')
  })
  test('live is left as it is: only the trial is emptied', async () => {
    await putIntoTrial({ overrule: true })
    bench.purges.length = 0
    await check()
    expect(bench.purges.map(({ channel }) => channel)).toEqual(['trial'])
  })
})

describe('a check that cannot be made says what to do', () => {
  test.each([
    ['a wrong password', [form('Annelies', 'wrong'), form('b')], /could not sign in.*field names/],
    ['nothing that is stored', undefined, /No response came from the store/],
  ])('%s', async (_what, visitors, sentence) => {
    if (visitors === undefined) stored = undefined
    await putIntoTrial({ overrule: true })
    const { job, latest } = await check(visitors)
    expect([job.state, latest.state]).toEqual(['failed', 'failed'])
    expect(job.error).toMatch(sentence)
  })
  test('what visitors sign in with is not in the database', async () => {
    await putIntoTrial({ overrule: true })
    await check([form('Annelies'), form('Bartholomew')])
    const rows = await bench.services.db.execute('select * from privacy_checks')
    expect(JSON.stringify(rows)).not.toContain('right')
  })
})

test('a sample that only sends visitors on teaches nothing of cookies, and the sentence says so', async () => {
  origin.removeAllListeners('request')
  origin.on('request', (_req, res) => res.writeHead(302, { location: 'https://www.orrin-sound.example/' }).end())
  const { body: job } = await bench.call('POST', `/sites/${site.id}/cookies/searches`, {
    cookie: 'sid=Annelies',
  })
  await bench.services.jobs.idle()
  const { state, error } = (await bench.call('GET', `/jobs/${job.id}`)).body
  expect(state).toBe('failed')
  expect(error).toMatch(/redirects to https:\/\/www\.orrin-sound\.example/)
})

test('cookies are tried one by one: the one that changes pages is told from the one that does not', async () => {
  const { body: job } = await bench.call('POST', `/sites/${site.id}/cookies/searches`, {
    cookie: 'sid=Annelies; tint=dark',
  })
  await bench.services.jobs.idle()
  expect((await bench.call('GET', `/jobs/${job.id}`)).body.state).toBe('done')
  const { findings } = (await bench.call('GET', `/sites/${site.id}/cookies`)).body
  expect(
    findings.map((one: { name: string; effect: string; treated: string }) => [one.name, one.effect, one.treated]),
  ).toEqual([
    ['sid', 'changes', 'visitor'],
    ['tint', 'none', 'unknown'],
  ])
})
