import type { z } from 'zod'
import { Problem } from '../../core/contracts/problem.ts'

/** What the API refused, as it is shown: a title and a sentence that says what to do. */
export class ApiProblem extends Error {
  readonly problem: Problem

  constructor(problem: Problem) {
    super(problem.detail)
    this.problem = problem
  }
}

const unreachable = (): ApiProblem =>
  new ApiProblem({
    type: 'about:blank',
    title: 'Zest Lamp does not answer',
    status: 0,
    code: 'UNREACHABLE',
    detail: 'Control is not running or cannot be reached. Visitors are still served. Start it again, then retry.',
  })

/** What the interface itself refuses, before anything is sent. @param detail a sentence that says what to do */
export const refused = (title: string, detail: string): ApiProblem =>
  new ApiProblem({ type: 'about:blank', title, status: 0, code: 'REFUSED_HERE', detail })

const problemOf = async (response: Response): Promise<ApiProblem> => {
  const parsed = Problem.safeParse(await response.json().catch(() => undefined))
  if (parsed.success) return new ApiProblem(parsed.data)
  return new ApiProblem({
    type: 'about:blank',
    title: 'Something went wrong',
    status: response.status,
    code: 'UNEXPECTED',
    detail: `The server answered with status ${response.status}.`,
  })
}

/** Called when the session has ended. */
let onSignedOut: () => void = () => undefined
export const whenSignedOut = (action: () => void): void => {
  onSignedOut = action
}

/**
 * One call of the API; the answer is checked against its schema.
 * @param reply left out for calls without an answer
 * @throws ApiProblem
 */
export async function callApi<T extends z.ZodType>(
  method: string,
  path: string,
  reply: T,
  body?: unknown,
): Promise<z.output<T>>
export async function callApi(method: string, path: string, reply?: undefined, body?: unknown): Promise<void>
export async function callApi(method: string, path: string, reply?: z.ZodType, body?: unknown): Promise<unknown> {
  const response = await fetch(`/api/v1${path}`, {
    method,
    headers: body === undefined ? {} : { 'content-type': 'application/json' },
    body: body === undefined ? undefined : JSON.stringify(body),
  }).catch(() => {
    throw unreachable()
  })
  if (!response.ok) {
    const problem = await problemOf(response)
    if (problem.problem.code === 'SIGN_IN_NEEDED') onSignedOut()
    throw problem
  }
  return reply?.parse(await response.json())
}
