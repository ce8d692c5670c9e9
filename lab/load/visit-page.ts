import { request as requestHttp, type IncomingMessage, type RequestOptions } from 'node:http'
import { request as requestHttps } from 'node:https'
import { isFromStore } from '../../core/http/cache-status.ts'
import type { LoadWay } from './load-messages.ts'

/** What came of one visitor's page. */
export type PageVisit =
  | { readonly kind: 'answered'; readonly fromStore: boolean }
  | { readonly kind: 'refused' | 'timed-out' | 'limited' | 'server-error' }

const judged = (res: IncomingMessage): PageVisit => {
  const status = res.statusCode ?? 0
  if (status === 429) return { kind: 'limited' }
  if (status >= 500) return { kind: 'server-error' }
  return { kind: 'answered', fromStore: isFromStore(String(res.headers['cache-status'] ?? '')) }
}

const optionsFor = (way: LoadWay, target: string, signal: AbortSignal): RequestOptions => ({
  host: way.connect,
  port: way.port,
  path: target,
  // Each visitor is somebody else and opens a connection of their own.
  agent: false,
  signal,
  headers: {
    host: way.host,
    accept: 'text/html,*/*',
    'accept-encoding': 'br, gzip',
    'user-agent': 'Mozilla/5.0 (load test of the owner)',
    ...(way.cookie === '' ? {} : { cookie: way.cookie }),
    ...way.fields,
  },
})

/** One visitor asks for a page and reads it to its end; never rejects. @param patienceMs after which they leave */
export const visitPage = (way: LoadWay, target: string, patienceMs: number): Promise<PageVisit> =>
  new Promise((resolve) => {
    const patience = AbortSignal.timeout(patienceMs)
    // However the connection ends once their patience has: they left.
    const failed = (): void => resolve({ kind: patience.aborted ? 'timed-out' : 'refused' })
    const answered = (res: IncomingMessage): void => {
      res.once('end', () => resolve(judged(res)))
      res.once('error', failed)
      res.once('close', failed)
      res.resume()
    }
    const options = optionsFor(way, target, patience)
    const servername = way.host.replace(/:\d+$/, '')
    const asked =
      way.scheme === 'http'
        ? requestHttp(options, answered)
        : requestHttps({ ...options, servername, rejectUnauthorized: way.certificate === 'checked' }, answered)
    asked.once('error', failed)
    asked.end()
  })
