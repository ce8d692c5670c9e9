import { z } from 'zod'
import { RemoteCheckOrder } from './remote-checks.ts'
import { DecisionRecord, HostName, PurgeOrder } from './delivery.ts'
import { DeliveryConfig, HomeStore } from './delivery-config.ts'
import { Place } from './measuring.ts'
import { WarmOrder } from './warm-up.ts'

/** Where visitors reach an edge: a host name, or an address. */
const EdgeAddress = z.union([HostName, z.ipv4(), z.ipv6()], 'Give a host name such as "isle.example", or an address.')

/** What the owner says of an edge. */
export const EdgeDraft = z.strictObject({
  name: z
    .string()
    .trim()
    .regex(/^[\p{L}\p{N}][\p{L}\p{N} ._-]{0,59}$/u, 'Give a name of letters and digits, at most 60.'),
  place: Place.nullable().default(null).describe('Where it stands; null: not known'),
  address: EdgeAddress.nullable()
    .default(null)
    .describe('Host name or address by which visitors reach it; null: not known yet'),
  port: z.int().min(1).max(65_535).default(80).describe('Port for HTTP at that address'),
  securePort: z.int().min(1).max(65_535).default(443).describe('Port for HTTPS there'),
  homeUrl: z
    .url({ protocol: /^https?$/, error: 'Give an address such as https://home.example.' })
    .transform((url) => new URL(url).origin)
    .describe('Address by which the edge reaches the delivery next to your server (origin)'),
  siteIds: z.array(z.string()).min(1).nullable().default(null).describe('Sites that it serves; null: all'),
  whenAway: HomeStore.shape.whenAway.describe(
    'What visitors of this edge get while home does not answer and nothing stored may be used',
  ),
})
export type EdgeDraft = z.infer<typeof EdgeDraft>

/** What an edge has answered for one site. */
export const EdgeSiteFigures = z.object({
  siteId: z.string(),
  since: z.number().describe('When counting began, epoch ms'),
  requests: z.int(),
  hits: z.int().describe('Answered from the edge’s own store'),
  bytes: z.int().describe('Bytes of bodies sent'),
  hitBytes: z.int(),
  errors: z.int().describe('Requests for which nobody behind the edge gave an answer'),
  waitMs: z.number().nullable().describe('Median time of the last answers, ms; null: none yet'),
  recent: z.array(DecisionRecord).max(50).default([]).describe('What it decided, newest first'),
})
export type EdgeSiteFigures = z.infer<typeof EdgeSiteFigures>

/** Pages that an edge is fetching from home before visitors ask for them. */
export const Filling = z.object({ done: z.int(), total: z.int() })
export type Filling = z.infer<typeof Filling>

/** What an edge tells control every few seconds. */
export const EdgeReport = z.object({
  /** The edge's own clock, epoch ms. */
  at: z.number(),
  revision: z.int().describe('Of the configuration that it serves'),
  sites: z.array(EdgeSiteFigures).max(1000),
  problem: z.string().max(500).nullable().default(null),
  filling: Filling.nullable().default(null),
  /** What can be ordered of it, besides what every edge does: one of an earlier release knows nothing of it. */
  can: z.array(z.string().max(40)).max(40).default([]),
})
export type EdgeReport = z.infer<typeof EdgeReport>

export const EdgeState = z.enum(['not-joined', 'connected', 'away'])
export type EdgeState = z.infer<typeof EdgeState>

export const EdgeInfo = EdgeDraft.extend({
  id: z.string(),
  homeUrl: z.string(),
  state: EdgeState,
  joinedAt: z.number().nullable().describe('Epoch ms'),
  lastSeenAt: z.number().nullable().describe('When it was heard of last, epoch ms'),
  setup: z.enum(['in-force', 'behind', 'unknown']).describe('Whether it serves the current setups'),
  clockOffMs: z.number().nullable().describe('How far its clock is ahead of ours, ms'),
  problem: z.string().nullable().describe('What keeps it from serving well, in a sentence'),
  filling: Filling.nullable()
    .default(null)
    .describe('How far it is in fetching pages ahead of visitors; null: it is not'),
  sites: z.array(EdgeSiteFigures),
})
export type EdgeInfo = z.infer<typeof EdgeInfo>

/** A new edge, and the token with which its machine joins; shown once. */
export const EdgeWithToken = z.object({ edge: EdgeInfo, token: z.string() })
export type EdgeWithToken = z.infer<typeof EdgeWithToken>

/** What a machine sends to become an edge. */
export const JoinOrder = z.strictObject({ token: z.string().min(20).max(200) })
/** What it gets: a key of its own, in the place of the token. */
export const Joined = z.object({ edgeId: z.string(), name: z.string(), key: z.string() })
export type Joined = z.infer<typeof Joined>

/** One line of what control orders of an edge. */
export const EdgeOrder = z.discriminatedUnion('kind', [
  z.object({
    kind: z.literal('setups'),
    seq: z.int(),
    config: DeliveryConfig,
    /** How home is asked; the key is the edge's own secret. */
    home: HomeStore.omit({ key: true }),
  }),
  z.object({ kind: z.literal('purge'), seq: z.int(), orders: z.array(PurgeOrder) }),
  /** Fetch these from home, one after the other, before visitors ask for them. */
  z.object({ kind: z.literal('fill'), seq: z.int(), pages: z.array(WarmOrder).max(2000) }),
  /** Ask for a site as a visitor does, from where this edge stands. */
  z.object({ kind: z.literal('check'), seq: z.int(), id: z.string(), check: RemoteCheckOrder }),
  /** Something may have been purged of which this edge has not been told: nothing is served before home has been asked. */
  z.object({ kind: z.literal('doubt'), seq: z.int() }),
  /** Nothing has happened. */
  z.object({ kind: z.literal('beat'), seq: z.int() }),
])
export type EdgeOrder = z.infer<typeof EdgeOrder>

/** What an edge has done so far. `boot` names the control that counts, since numbers begin again when it is started. */
export const EdgeAck = z.strictObject({ boot: z.string().max(60), seq: z.int().min(0) })
export type EdgeAck = z.infer<typeof EdgeAck>

/** From where on an edge has to be told; nothing: it knows of nothing. */
export const EdgeOrdersQuery = z.object({ boot: z.string().max(60).optional(), since: z.coerce.number().optional() })
