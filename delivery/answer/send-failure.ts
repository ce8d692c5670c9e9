import type { Outcome } from '../../core/http/cache-status.ts'
import type { Exchange } from '../exchange.ts'
import { countWhenDone } from '../exchange.ts'
import type { OriginFailure } from '../origin/origin-client.ts'
import { closingFields, flat } from './outgoing-fields.ts'
import { problemPage } from './problem-page.ts'
import { cut, writeHead } from './write-head.ts'

const FAILURES: Record<OriginFailure['kind'], { status: number; title: string; sentence: string }> = {
  unreachable: {
    status: 502,
    title: 'This site cannot be reached just now',
    sentence: 'The server behind this address does not answer. Please try again in a minute.',
  },
  timeout: {
    status: 504,
    title: 'This site is taking too long',
    sentence: 'The server behind this address did not answer in time. Please try again in a minute.',
  },
  broken: {
    status: 502,
    title: 'This page did not arrive whole',
    sentence: 'The server behind this address broke off while answering. Please try again.',
  },
}

/** Answer for an origin that failed. When the answer had already begun, the connection is cut: half a page must not look whole. */
export const sendFailure = (exchange: Exchange, kind: OriginFailure['kind']): void => {
  const { res, method } = exchange
  if (res.headersSent) {
    cut(res)
    return
  }
  const { status, title, sentence } = FAILURES[kind]
  const outcome: Outcome = { kind: 'failed', why: kind }
  const body = Buffer.from(problemPage(title, sentence))
  const fields = closingFields(
    [
      ['content-type', 'text/html; charset=utf-8'],
      ['content-length', String(body.length)],
      ['cache-control', 'no-store'],
      ['retry-after', '60'],
    ],
    exchange,
    outcome,
  )
  writeHead(res, status, flat(fields))
  countWhenDone(exchange, outcome, () => body.length)
  res.end(method === 'HEAD' ? undefined : body)
}
