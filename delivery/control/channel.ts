import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import {
  ChangesQuery,
  DeliveryConfig,
  PurgeOrder,
  type PageChanges,
  type Preparing,
  type Traffic,
} from '../../core/contracts/delivery.ts'
import type { PageSequences } from '../../core/contracts/next-pages.ts'
import { WarmOrder, type Visited, type WarmResult } from '../../core/contracts/warm-up.ts'
import { CoverageQuery, StoreQuery, type AddressState, type StorePage } from '../../core/contracts/store.ts'

/** What control may ask of delivery. */
export interface ControlActions {
  readonly configure: (config: DeliveryConfig) => Promise<void>
  readonly purge: (order: PurgeOrder) => number | Promise<number>
  readonly traffic: (siteId: string) => Traffic
  readonly listStore: (query: StoreQuery) => Promise<StorePage>
  readonly coverage: (query: CoverageQuery) => Promise<AddressState[]>
  readonly changes: (query: ChangesQuery) => Promise<PageChanges>
  readonly preparing: (siteId: string) => Preparing
  readonly visited: (siteId: string) => Promise<Visited>
  readonly nextPages: (siteId: string) => PageSequences
  readonly warm: (order: WarmOrder) => Promise<WarmResult>
  readonly picturesMade: (siteId: string) => Promise<number>
}

const LARGEST_ORDER = 16 * 1024 * 1024

const readJson = async (req: IncomingMessage): Promise<unknown> => {
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of req) {
    size += (chunk as Buffer).length
    if (size > LARGEST_ORDER) throw new Error('The order is too large.')
    chunks.push(chunk as Buffer)
  }
  return JSON.parse(Buffer.concat(chunks).toString('utf8'))
}

const reply = (res: ServerResponse, status: number, body: unknown): void => {
  res.writeHead(status, { 'content-type': 'application/json' })
  res.end(JSON.stringify(body))
}

const handle = async (req: IncomingMessage, res: ServerResponse, actions: ControlActions): Promise<void> => {
  const [, noun, id = ''] = (req.url ?? '').split('/')
  switch (`${req.method} ${noun}`) {
    case 'GET health':
      return reply(res, 200, { ok: true })
    case 'PUT config':
      await actions.configure(DeliveryConfig.parse(await readJson(req)))
      return reply(res, 200, { ok: true })
    case 'POST purges':
      return reply(res, 200, { purged: await actions.purge(PurgeOrder.parse(await readJson(req))) })
    case 'GET traffic':
      return reply(res, 200, actions.traffic(decodeURIComponent(id)))
    case 'POST store':
      return reply(res, 200, await actions.listStore(StoreQuery.parse(await readJson(req))))
    case 'POST coverage':
      return reply(res, 200, await actions.coverage(CoverageQuery.parse(await readJson(req))))
    case 'POST changes':
      return reply(res, 200, await actions.changes(ChangesQuery.parse(await readJson(req))))
    case 'GET visited':
      return reply(res, 200, await actions.visited(decodeURIComponent(id)))
    case 'GET next-pages':
      return reply(res, 200, actions.nextPages(decodeURIComponent(id)))
    case 'POST warm':
      return reply(res, 200, await actions.warm(WarmOrder.parse(await readJson(req))))
    case 'GET preparing':
      return reply(res, 200, actions.preparing(decodeURIComponent(id)))
    case 'GET readiness': {
      const siteId = decodeURIComponent(id)
      const made = await actions.picturesMade(siteId)
      return reply(res, 200, { ...actions.preparing(siteId), picturesMade: made })
    }
    default:
      return reply(res, 404, { error: 'unknown order' })
  }
}

/** The control channel: HTTP with JSON on a socket in the data directory, which only its owner can open. */
export const createControlChannel = (actions: ControlActions): Server =>
  createServer((req, res) => {
    handle(req, res, actions).catch((error: Error) => reply(res, 422, { error: error.message }))
  })
