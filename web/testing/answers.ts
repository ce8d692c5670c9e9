import { vi } from 'vitest'

/** For tests: control's answers, by "METHOD path" below the API, in place of the network. */

export interface Asked {
  readonly what: string
  readonly body: unknown
}

/** A refusal as control sends it (RFC 9457). */
export const refusal = (detail: string, status = 409, code = 'REFUSED'): Response =>
  Response.json({ type: 'about:blank', title: 'Not done', status, code, detail }, { status })

/**
 * Answers calls of the API from a list until `vi.unstubAllGlobals()`. A function is called with what was sent; its promise may be held back.
 * What is not on the list is answered with a problem that names it.
 * @returns what was asked, in order
 */
export const answering = (answers: Readonly<Record<string, unknown>>): Asked[] => {
  const asked: Asked[] = []
  vi.stubGlobal('fetch', async (path: string, init: RequestInit = {}) => {
    const what = `${init.method ?? 'GET'} ${path.replace(/^\/api\/v1/, '')}`
    const body: unknown = typeof init.body === 'string' ? JSON.parse(init.body) : undefined
    asked.push({ what, body })
    if (!(what in answers)) return refusal(`The test has no answer to ${what}.`, 404, 'NOT_FOUND')
    const told = answers[what]
    const answer: unknown = typeof told === 'function' ? await (told as (sent: unknown) => unknown)(body) : told
    if (answer instanceof Response) return answer
    return answer === undefined ? new Response(null, { status: 204 }) : Response.json(answer)
  })
  return asked
}

export const whatOf = (asked: readonly Asked[]): string[] => asked.map(({ what }) => what)
