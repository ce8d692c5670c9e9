import { afterEach, describe, expect, test, vi } from 'vitest'
import { z } from 'zod'
import { answering, refusal } from '../testing/answers.ts'
import { ApiProblem, callApi, whenSignedOut } from './client.ts'

afterEach(() => {
  vi.unstubAllGlobals()
  whenSignedOut(() => undefined)
})
const codeOf = (call: Promise<unknown>): Promise<string> =>
  call.then(
    () => 'answered',
    (error: unknown) => (error instanceof ApiProblem ? error.problem.code : 'another error'),
  )

describe('a call of the API', () => {
  test('sends its body as JSON and gives back the answer, checked against its schema', async () => {
    const asked = answering({ 'PUT /thing': { size: 3, more: 'dropped' } })
    expect(await callApi('PUT', '/thing', z.object({ size: z.int() }), { wanted: 3 })).toEqual({ size: 3 })
    expect(asked).toEqual([{ what: 'PUT /thing', body: { wanted: 3 } }])
  })
  test('without a schema reads no answer', async () => {
    answering({ 'DELETE /thing': undefined })
    expect(await callApi('DELETE', '/thing')).toBeUndefined()
  })
  test('whose answer does not fit its schema fails instead of handing it on', async () => {
    answering({ 'GET /thing': { size: 'large' } })
    await expect(callApi('GET', '/thing', z.object({ size: z.int() }))).rejects.toThrow(z.ZodError)
  })
  test('that is refused tells title and sentence of the refusal (RFC 9457)', async () => {
    answering({ 'GET /thing': refusal('Keep at least one page.') })
    await expect(callApi('GET', '/thing')).rejects.toMatchObject({
      message: 'Keep at least one page.',
      problem: { title: 'Not done', status: 409 },
    })
  })
  test('that reaches nobody says so, and that visitors are still served', async () => {
    vi.stubGlobal('fetch', () => Promise.reject(new TypeError('fetch failed')))
    await expect(callApi('GET', '/thing')).rejects.toMatchObject({
      problem: { code: 'UNREACHABLE' },
      message: expect.stringContaining('Visitors are still served') as string,
    })
  })
  test('that somebody in between answers with a page is told by its status', async () => {
    answering({ 'GET /thing': () => new Response('<h1>Bad gateway</h1>', { status: 502 }) })
    await expect(callApi('GET', '/thing')).rejects.toThrow('The server answered with status 502.')
  })
  test('after the session has ended tells whoever watches, once each time; another refusal does not', async () => {
    let told = 0
    whenSignedOut(() => told++)
    answering({
      'GET /a': () => refusal('Sign in.', 401, 'SIGN_IN_NEEDED'),
      'GET /b': () => refusal('Not yours.', 403, 'FORBIDDEN'),
    })
    expect([await codeOf(callApi('GET', '/a')), await codeOf(callApi('GET', '/b')), told]).toEqual([
      'SIGN_IN_NEEDED',
      'FORBIDDEN',
      1,
    ])
  })
})
