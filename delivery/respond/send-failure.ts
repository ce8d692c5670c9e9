import type { OriginTrouble, Outcome } from '../../core/http/cache-status.ts'
import { type RequestContext, countWhenDone } from './request-context.ts'
import { closingFields, flat } from './response-fields.ts'
import { problemPage } from './problem-page.ts'
import { cut, writeHead } from './write-head.ts'

const FAILURES: Record<OriginTrouble, { status: number; title: string; sentence: string; retryAfterS?: number }> = {
  unreachable: {
    status: 502,
    title: 'This site cannot be reached at the moment',
    sentence: 'The server behind this address does not answer. Please try again in a minute.',
  },
  timeout: {
    status: 504,
    title: 'This site is taking too long',
    sentence: 'The server behind this address did not answer in time. Please try again in a minute.',
  },
  broken: {
    status: 502,
    title: 'This page did not arrive completely',
    sentence: 'The server behind this address stopped part way through its response. Please try again.',
  },
  busy: {
    status: 503,
    title: 'This site is very busy at the moment',
    sentence:
      'More people are waiting than the server behind this address can answer. Please try again in a few seconds.',
    retryAfterS: 5,
  },
  'private-address': {
    status: 502,
    title: 'This site cannot be reached at the moment',
    sentence:
      'The address of the server behind this site has changed to one that may not be asked. Its owner can allow it.',
  },
}

/** Answer for an origin that failed. When the answer had already begun, the connection is cut: half a page must not look whole. */
export const sendFailure = (context: RequestContext, kind: OriginTrouble): void => {
  const { res, method } = context
  if (res.headersSent) {
    cut(res)
    return
  }
  const { status, title, sentence, retryAfterS = 60 } = FAILURES[kind]
  const outcome: Outcome = { kind: 'failed', why: kind }
  const body = Buffer.from(problemPage(title, sentence))
  const fields = closingFields(
    [
      ['content-type', 'text/html; charset=utf-8'],
      ['content-length', String(body.length)],
      ['cache-control', 'no-store'],
      ['retry-after', String(retryAfterS)],
    ],
    context,
    outcome,
  )
  writeHead(res, status, flat(fields))
  countWhenDone(context, outcome, () => body.length)
  res.end(method === 'HEAD' ? undefined : body)
}
