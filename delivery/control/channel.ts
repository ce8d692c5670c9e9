import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import { readJson, replyJson } from '../../process/json-over-socket.ts'
import {
  ChangesQuery,
  PurgeOrder,
  type PageChanges,
  type Preparing,
  type Traffic,
} from '../../core/contracts/delivery.ts'
import { DeliveryConfig, type PurgeReport } from '../../core/contracts/delivery-config.ts'
import type { PageSequences } from '../../core/contracts/next-pages.ts'
import { WarmOrder, type Visited, type WarmResult } from '../../core/contracts/warm-up.ts'
import { CoverageQuery, StoreQuery, type AddressState, type StorePage } from '../../core/contracts/store.ts'

/** What control may ask of delivery. */
export interface ControlActions {
  readonly configure: (config: DeliveryConfig) => Promise<void>
  readonly purge: (order: PurgeOrder) => Promise<PurgeReport>
  /** Stream what is purged here without control's order. */
  readonly announcements: (res: ServerResponse) => void
  /** Control has been heard; for an edge. */
  readonly contact: () => void
  /** Purges may have been missed; for an edge. */
  readonly doubt: () => void
  readonly traffic: (siteId: string) => Traffic | Promise<Traffic>
  readonly listStore: (query: StoreQuery) => Promise<StorePage>
  readonly coverage: (query: CoverageQuery) => Promise<AddressState[]>
  readonly changes: (query: ChangesQuery) => Promise<PageChanges>
  readonly preparing: (siteId: string) => Preparing
  readonly visited: (siteId: string) => Promise<Visited>
  readonly nextPages: (siteId: string) => PageSequences
  readonly warm: (order: WarmOrder) => Promise<WarmResult>
  /** Lighter pictures of a site have come or gone on disk. */
  readonly picturesChanged: (siteId: string) => Promise<void>
  readonly picturesMade: (siteId: string) => Promise<number>
}

const handle = async (req: IncomingMessage, res: ServerResponse, actions: ControlActions): Promise<void> => {
  const [, noun, id = ''] = (req.url ?? '').split('/')
  switch (`${req.method} ${noun}`) {
    case 'GET health':
      return replyJson(res, 200, { ok: true })
    case 'PUT config':
      await actions.configure(DeliveryConfig.parse(await readJson(req)))
      return replyJson(res, 200, { ok: true })
    case 'POST purges':
      return replyJson(res, 200, await actions.purge(PurgeOrder.parse(await readJson(req))))
    case 'GET announcements':
      return actions.announcements(res)
    case 'PUT doubt':
      actions.doubt()
      return replyJson(res, 200, { ok: true })
    case 'PUT contact':
      actions.contact()
      return replyJson(res, 200, { ok: true })
    case 'PUT pictures':
      await actions.picturesChanged(decodeURIComponent(id))
      return replyJson(res, 200, { ok: true })
    case 'GET traffic':
      return replyJson(res, 200, await actions.traffic(decodeURIComponent(id)))
    case 'POST store':
      return replyJson(res, 200, await actions.listStore(StoreQuery.parse(await readJson(req))))
    case 'POST coverage':
      return replyJson(res, 200, await actions.coverage(CoverageQuery.parse(await readJson(req))))
    case 'POST changes':
      return replyJson(res, 200, await actions.changes(ChangesQuery.parse(await readJson(req))))
    case 'GET visited':
      return replyJson(res, 200, await actions.visited(decodeURIComponent(id)))
    case 'GET next-pages':
      return replyJson(res, 200, actions.nextPages(decodeURIComponent(id)))
    case 'POST warm':
      return replyJson(res, 200, await actions.warm(WarmOrder.parse(await readJson(req))))
    case 'GET preparing':
      return replyJson(res, 200, actions.preparing(decodeURIComponent(id)))
    case 'GET readiness': {
      const siteId = decodeURIComponent(id)
      const made = await actions.picturesMade(siteId)
      return replyJson(res, 200, { ...actions.preparing(siteId), picturesMade: made })
    }
    default:
      return replyJson(res, 404, { error: 'unknown order' })
  }
}

/** The control channel: HTTP with JSON on a socket in the data directory, which only its owner can open. */
export const createControlChannel = (actions: ControlActions): Server =>
  createServer((req, res) => {
    handle(req, res, actions).catch((error: Error) => replyJson(res, 422, { error: error.message }))
  })
