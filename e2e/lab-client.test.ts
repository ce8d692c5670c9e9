import { execFileSync } from 'node:child_process'
import { resolve } from 'node:path'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { afterEach, expect, test } from 'vitest'
import type { RunOrder } from '../core/contracts/measuring.ts'
import { aRunOrder } from '../core/measuring/testing/made-up.ts'
import { LabCancelled, LabClient, LabUnusable } from '../server/jobs/lab-client.ts'

/** Control's side of the lab, with the real lab in its own process. */

const program = resolve(import.meta.dirname, '../dist/lab.mjs')
const order = (url: string): RunOrder => aRunOrder(url, { timeoutMs: 30_000, privateAddresses: 'allowed' })
let lab: LabClient
let server: Server | undefined
let asked = 0
afterEach(() => {
  lab.stop()
  server?.closeAllConnections()
  server?.close()
  delete process.env['ZEST_CHROMIUM']
})

const serve = async (answer: string | undefined): Promise<string> => {
  asked = 0
  server = createServer((_req, res) => {
    asked++
    if (answer !== undefined) res.writeHead(200, { 'content-type': 'text/html' }).end(answer)
  })
  await new Promise<void>((done) => server!.listen(0, '127.0.0.1', done))
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}/`
}

test('measures a page, and another after it, in one browser', async () => {
  lab = new LabClient(program)
  const url = await serve('<!doctype html><title>x</title><h1>Quay</h1>')
  for (let i = 0; i < 2; i++) {
    const outcome = await lab.run(order(url), new AbortController().signal)
    expect(outcome).toMatchObject({ kind: 'measured', metrics: { requests: 1, failedRequests: 0 } })
  }
})

test('without Chromium it says how to install it', async () => {
  process.env['ZEST_CHROMIUM'] = '/nowhere/chromium'
  lab = new LabClient(program)
  await expect(lab.run(order('http://127.0.0.1/'), new AbortController().signal)).rejects.toThrow(LabUnusable)
  await expect(lab.run(order('http://127.0.0.1/'), new AbortController().signal)).rejects.toThrow(
    'apt-get install chromium',
  )
})

test('a run that is cancelled ends at once, and the next one works', async () => {
  lab = new LabClient(program)
  const cancel = new AbortController()
  const silent = await serve(undefined)
  const running = lab.run(order(silent), cancel.signal)
  setTimeout(() => cancel.abort(), 1500)
  await expect(running).rejects.toThrow(LabCancelled)
  server?.closeAllConnections()
  server?.close()
  const url = await serve('<!doctype html><title>x</title><h1>Quay</h1>')
  expect((await lab.run(order(url), new AbortController().signal)).kind).toBe('measured')
})

test('a lab that dies during a run fails that run with a sentence, and the next one works', async () => {
  lab = new LabClient(program)
  const silent = await serve(undefined)
  const running = lab.run(order(silent), new AbortController().signal)
  // Whoever runs the lab for this test; the server has seen its page load.
  await expect.poll(() => asked, { timeout: 20_000 }).toBeGreaterThan(0)
  const pids = execFileSync('pgrep', ['-P', String(process.pid), '-f', 'dist/lab.mjs'], { encoding: 'utf8' })
  for (const pid of pids.trim().split('\n')) process.kill(Number(pid), 'SIGKILL')
  expect(await running).toMatchObject({ kind: 'failed', why: 'The lab stopped during a run.' })
  server?.closeAllConnections()
  server?.close()
  const url = await serve('<!doctype html><title>x</title><h1>Quay</h1>')
  expect((await lab.run(order(url), new AbortController().signal)).kind).toBe('measured')
})
