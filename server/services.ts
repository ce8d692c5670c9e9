import type { ControlNames } from './http/control-names.ts'
import type { DeliveryClient } from '../delivery/control/client.ts'
import type { Database } from './db/database.ts'
import type { EventBus } from './events.ts'
import type { JobQueue } from './jobs/job-queue.ts'
import type { CookieOrders } from './privacy/cookie-search.ts'
import type { Recordings } from './measuring/recordings.ts'
import type { PrivacyOrders } from './privacy/privacy-checks.ts'
import type { Publisher } from './sites/publisher.ts'

/** Where things are reached, as told at start. */
export interface Addresses {
  /** Port of control. */
  readonly controlPort: number
  /** Port of delivery for HTTP. */
  readonly deliveryPort: number
  /** Port of delivery for HTTPS. */
  readonly securePort: number
}

/** What routes and jobs need from outside themselves. */
export interface Services {
  readonly db: Database
  readonly delivery: DeliveryClient
  readonly publisher: Publisher
  readonly events: EventBus
  readonly jobs: JobQueue
  /** What made-up visitors sign in with, for checks that wait. */
  readonly privacyOrders: PrivacyOrders
  readonly cookieOrders: CookieOrders
  readonly recordings: Recordings
  readonly addresses: Addresses
  /** Digest of the token given at start, if any. */
  readonly startTokenDigest: string | undefined
  /** Read on the sign-in page. */
  readonly signInNotice: string
  readonly now: () => Date
  /** Names under which control is asked; no site may use one, since cookies do not tell ports apart. */
  readonly controlNames: ControlNames
  /** How often an open stream of events is asked whether its credentials still hold, ms. */
  readonly recheckMs: number
}
