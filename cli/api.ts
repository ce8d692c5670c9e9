import type { z } from 'zod'
import { Problem } from '../core/contracts/problem.ts'

/** The command cannot go on; the sentence is all that is printed. */
export class CommandFailure extends Error {}

export interface ApiAccess {
  /** Address of control, without path. */
  readonly url: string
  readonly token: string
}

/** Where control is and what opens it, from the environment. @throws CommandFailure */
export const accessFrom = (env: NodeJS.ProcessEnv): ApiAccess => {
  const token = env['ZEST_API_TOKEN']
  if (token === undefined || token === '')
    throw new CommandFailure('Set ZEST_API_TOKEN to a token created in the interface under "Account".')
  return {
    url: (env['ZEST_URL'] ?? `http://127.0.0.1:${env['ZEST_PORT'] ?? 8400}`).replace(/\/+$/, ''),
    token,
  }
}

/**
 * One call of the API.
 * @throws CommandFailure with the sentence of the problem, or saying that nothing answers
 */
export const callApi = async <T extends z.ZodType>(
  { url, token }: ApiAccess,
  method: 'GET' | 'POST' | 'PUT' | 'DELETE',
  path: string,
  reply: T,
  body?: unknown,
): Promise<z.output<T>> => {
  const response = await fetch(`${url}/api/v1${path}`, {
    method,
    headers: { authorization: `Bearer ${token}`, 'content-type': 'application/json' },
    body: body === undefined ? undefined : JSON.stringify(body),
  }).catch(() => {
    throw new CommandFailure(`Nothing answers at ${url}. Is Zest Lamp running? ZEST_URL names another address.`)
  })
  const answer: unknown = await response.json().catch(() => undefined)
  if (!response.ok) {
    const problem = Problem.safeParse(answer)
    throw new CommandFailure(
      problem.success
        ? `${problem.data.title}. ${problem.data.detail}`
        : `${url} answered with status ${response.status}.`,
    )
  }
  return reply.parse(answer)
}
