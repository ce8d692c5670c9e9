import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http'
import {
  ObjectsConfig,
  ObjectsContentQuery,
  ObjectsFlush,
  ObjectsKeysFlush,
  ObjectsNoting,
  ObjectsMisses,
  ObjectsQuery,
  type ObjectsEntries,
  type ObjectsContent,
  type ObjectsFlushed,
  type ObjectsNoted,
  type ObjectsUsage,
} from '../../core/contracts/objects.ts'
import { readJson, replyJson } from '../../process/json-over-socket.ts'

/** What control may ask of the object cache. A site that has none is undefined. */
export interface ObjectsActions {
  readonly configure: (config: ObjectsConfig) => Promise<void>
  readonly usage: (siteId: string) => ObjectsUsage | undefined
  readonly flush: (siteId: string, order: ObjectsFlush) => ObjectsFlushed | undefined
  readonly flushKeys: (siteId: string, order: ObjectsKeysFlush) => ObjectsFlushed | undefined
  readonly note: (siteId: string, order: ObjectsNoting) => ObjectsNoted | undefined
  readonly content: (
    siteId: string,
    query: ObjectsContentQuery,
  ) => Promise<{ content: ObjectsContent | null } | undefined>
  readonly missReads: (siteId: string, order: ObjectsMisses) => { ok: true } | undefined
  readonly entries: (siteId: string, query: ObjectsQuery) => ObjectsEntries | undefined
}

const handle = async (req: IncomingMessage, res: ServerResponse, actions: ObjectsActions): Promise<void> => {
  const [, noun, id = ''] = (req.url ?? '').split('/')
  const siteId = decodeURIComponent(id)
  const reply = (body: unknown): void =>
    replyJson(res, body === undefined ? 404 : 200, body ?? { error: 'This site has no object cache.' })
  switch (`${req.method} ${noun}`) {
    case 'GET health':
      return reply({ ok: true })
    case 'PUT config':
      await actions.configure(ObjectsConfig.parse(await readJson(req)))
      return reply({ ok: true })
    case 'GET usage':
      return reply(actions.usage(siteId))
    case 'POST flushes':
      return reply(actions.flush(siteId, ObjectsFlush.parse(await readJson(req))))
    case 'POST key-flushes':
      return reply(actions.flushKeys(siteId, ObjectsKeysFlush.parse(await readJson(req))))
    case 'POST notings':
      return reply(actions.note(siteId, ObjectsNoting.parse(await readJson(req))))
    case 'POST contents':
      return reply(await actions.content(siteId, ObjectsContentQuery.parse(await readJson(req))))
    case 'POST misses':
      return reply(actions.missReads(siteId, ObjectsMisses.parse(await readJson(req))))
    case 'POST entries':
      return reply(actions.entries(siteId, ObjectsQuery.parse(await readJson(req))))
    default:
      return replyJson(res, 404, { error: 'unknown order' })
  }
}

/** The control channel: HTTP with JSON on a socket in the data directory, which only its owner can open. */
export const createObjectsChannel = (actions: ObjectsActions): Server =>
  createServer((req, res) => {
    handle(req, res, actions).catch((error: Error) => replyJson(res, 422, { error: error.message }))
  })
