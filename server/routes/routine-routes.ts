import type { HasDatabase } from '../db/database.ts'
import type { HasEvents } from '../live/event-bus.ts'
import { z } from 'zod'
import { Message } from '../../core/contracts/routine.ts'
import { endpoint, type Endpoint } from '../http/endpoint.ts'
import { listMessages, readMessages } from '../routine/messages.ts'
import { SiteParams } from './site-routes.ts'

/** What the routine has to say. */
export const routineEndpoints = ({ db, events }: HasDatabase & HasEvents): Endpoint[] => [
  endpoint(
    {
      method: 'get',
      path: '/sites/:siteId/messages',
      summary: 'Limits that were crossed and pages that have become slower, newest first',
      input: { params: SiteParams },
      reply: z.array(Message),
    },
    async ({ params }) => listMessages(db, params.siteId),
  ),
  endpoint(
    {
      method: 'post',
      path: '/sites/:siteId/messages/read',
      summary: 'Mark all messages as read',
      input: { params: SiteParams },
    },
    async ({ params }) => readMessages(db, events, params.siteId),
  ),
]
