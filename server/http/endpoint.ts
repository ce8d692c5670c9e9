import type { Context } from 'koa'
import type { z } from 'zod'
import type { Account } from '../../core/contracts/accounts.ts'

/** Schemas of what an endpoint takes; left-out parts are not read. */
export interface EndpointInput {
  readonly params?: z.ZodObject
  readonly query?: z.ZodObject
  readonly body?: z.ZodType
}

type Parsed<T> = T extends z.ZodType ? z.output<T> : undefined

export interface EndpointRequest<I extends EndpointInput, A extends Endpoint['access'] = Endpoint['access']> {
  readonly params: Parsed<I['params']>
  readonly query: Parsed<I['query']>
  readonly body: Parsed<I['body']>
  /** Who asks; for open endpoints whoever is signed in, if anyone. */
  readonly account: A extends 'account' ? Account : Account | undefined
  readonly ctx: Context
}

/** One operation of the API: enough to answer it, and to describe it in OpenAPI. */
export interface Endpoint {
  readonly method: 'get' | 'post' | 'put' | 'delete'
  /** Below /api/v1, parameters as ":name". */
  readonly path: string
  readonly summary: string
  /** Whether an account or token is needed. */
  readonly access: 'open' | 'account'
  readonly input: EndpointInput
  readonly reply: z.ZodType | undefined
  readonly status: number
  readonly handle: (request: EndpointRequest<EndpointInput>) => Promise<unknown>
}

/**
 * Define an endpoint. Input that does not fit the schemas never reaches `handle`.
 * @param spec.reply schema of the answer; left out for 204
 */
export const endpoint = <
  I extends EndpointInput,
  R extends z.ZodType | undefined = undefined,
  A extends Endpoint['access'] = 'account',
>(
  spec: Omit<Endpoint, 'handle' | 'input' | 'reply' | 'status' | 'access'> & {
    input?: I
    reply?: R
    status?: number
    access?: A
  },
  handle: (request: EndpointRequest<I, A>) => Promise<R extends z.ZodType ? z.input<R> : void>,
): Endpoint => ({
  ...spec,
  access: spec.access ?? 'account',
  input: spec.input ?? {},
  reply: spec.reply,
  status: spec.status ?? (spec.reply === undefined ? 204 : 200),
  handle,
})
