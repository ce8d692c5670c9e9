import { z } from 'zod'
import { EdgeCheckResult } from '../../core/contracts/remote-checks.ts'
import {
  EdgeAck,
  EdgeDraft,
  EdgeInfo,
  EdgeReport,
  EdgeWithToken,
  Joined,
  JoinOrder,
} from '../../core/contracts/edges.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import type { HasEdges } from '../edges/edge-fleet.ts'
import { countMonth } from '../edges/edge-months.ts'
import {
  addEdge,
  changeEdge,
  edgeOfKey,
  fillEdge,
  joinEdge,
  listEdges,
  newEdgeToken,
  removeEdge,
  type HasControlCertificate,
} from '../edges/own-edges.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasPublisher } from '../sites/publishing.ts'

const EdgeParams = z.object({ edgeId: z.string() })

type Needed = HasDatabase & HasEdges & HasDelivery & HasClock & HasPublisher & HasControlCertificate

/** Edges as the owner sees them. */
const fleetEndpoints = (services: Needed): Endpoint[] => [
  endpoint(
    { method: 'get', path: '/edges', summary: 'Edges, and what they have answered', reply: z.array(EdgeInfo) },
    async () => listEdges(services),
  ),
  endpoint(
    {
      method: 'post',
      path: '/edges',
      summary: 'Add an edge; the token with which its machine joins is shown once',
      input: { body: EdgeDraft },
      reply: EdgeWithToken,
      status: 201,
    },
    async ({ body }) => addEdge(services, body),
  ),
  endpoint(
    {
      method: 'put',
      path: '/edges/:edgeId',
      summary: 'Change what is known of an edge',
      input: { params: EdgeParams, body: EdgeDraft },
      reply: EdgeInfo,
    },
    async ({ params, body }) => changeEdge(services, params.edgeId, body),
  ),
  endpoint(
    {
      method: 'delete',
      path: '/edges/:edgeId',
      summary: 'Remove an edge: its machine gets nothing here any more',
      input: { params: EdgeParams },
    },
    async ({ params }) => removeEdge(services, params.edgeId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/edges/:edgeId/tokens',
      summary: 'A new token, for a machine that takes the place of the one that has joined',
      input: { params: EdgeParams },
      reply: EdgeWithToken,
      status: 201,
    },
    async ({ params }) => newEdgeToken(services, params.edgeId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/edges/:edgeId/fills',
      summary: 'Have an edge fetch the most visited pages before visitors ask there',
      input: { params: EdgeParams },
      reply: z.object({ pages: z.int().describe('Pages that it fetches, by scheme') }),
      status: 202,
    },
    async ({ params }) => fillEdge(services, params.edgeId),
  ),
]

/** What edges ask and tell by themselves, each by its own token or name. */
const fromEdgesEndpoints = (services: Needed): Endpoint[] => [
  endpoint(
    {
      method: 'post',
      path: '/edge-joins',
      summary: 'Become an edge, with a token that works once',
      access: 'open',
      input: { body: JoinOrder },
      reply: Joined,
      status: 201,
    },
    async ({ body }) => joinEdge(services, body.token),
  ),
  endpoint(
    {
      method: 'post',
      path: '/edge-acks',
      summary: 'For the machine of an edge: what it has carried out',
      access: 'open',
      input: { body: EdgeAck },
    },
    async ({ ctx, body }) =>
      services.edges.ack(await edgeOfKey(services, ctx.get('authorization')), body.boot, body.seq),
  ),
  endpoint(
    {
      method: 'post',
      path: '/edge-checks',
      summary: 'For the machine of an edge: what visitors of its place see of a site',
      access: 'open',
      input: { body: EdgeCheckResult },
    },
    async ({ ctx, body }) => services.edges.checked(await edgeOfKey(services, ctx.get('authorization')), body),
  ),
  endpoint(
    {
      method: 'post',
      path: '/edge-reports',
      summary: 'For the machine of an edge: what it has answered',
      access: 'open',
      input: { body: EdgeReport },
    },
    async ({ ctx, body }) => {
      const edgeId = await edgeOfKey(services, ctx.get('authorization'))
      services.edges.report(edgeId, body)
      await countMonth(services, edgeId, body.sites)
    },
  ),
]

/** Edges, for their owner, and what their machines send. */
export const edgeEndpoints = (services: Needed): Endpoint[] => [
  ...fleetEndpoints(services),
  ...fromEdgesEndpoints(services),
]
