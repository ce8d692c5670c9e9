import type { HasDemoCdn } from '../cdn/rented-cdn.ts'
import type { HasDelivery } from '../../delivery/control/client.ts'
import type { HasObjects } from '../../objects/control/client.ts'
import type { HasDatabase } from '../db/database.ts'
import type { HasEdges } from '../edges/edge-fleet.ts'
import type { HasControlCertificate } from '../edges/own-edges.ts'
import type { HasAuthority } from '../golive/certificate-job.ts'
import type { HasDns } from '../golive/dns-plans.ts'
import type { HasStartToken } from '../http/authentication.ts'
import type { HasRecheck } from '../http/live-events.ts'
import type { HasJobs } from '../jobs/job-queue.ts'
import type { HasClock } from '../live/clock.ts'
import type { HasEvents } from '../live/event-bus.ts'
import type { HasDatabaseSecrets } from '../databases/database-connections.ts'
import type { HasFileAccess } from '../files/file-connections.ts'
import type { HasPicturesFolder } from '../pictures/prepared-folder.ts'
import type { HasRulesFiles } from '../server-rules/rehearsals.ts'
import type { HasLoadOrders } from '../load-tests/load-tests.ts'
import type { HasRecordings } from '../measuring/recordings.ts'
import type { HasAddresses } from '../net/addresses.ts'
import type { HasControlNames } from '../net/control-names.ts'
import type { HasObjectsPublisher } from '../objects/objects-publisher.ts'
import type { HasCookieOrders } from '../privacy/cookie-search.ts'
import type { HasPrivacyOrders } from '../privacy/privacy-checks.ts'
import type { HasPublisher } from '../sites/publishing.ts'
import type { HasSignInNotice } from './account-routes.ts'

/** All that the API's routes need from outside, put together at start; each function names only what it needs itself. */
export type Services = HasDatabase &
  HasDelivery &
  HasPublisher &
  HasObjects &
  HasObjectsPublisher &
  HasEvents &
  HasJobs &
  HasPrivacyOrders &
  HasCookieOrders &
  HasDemoCdn &
  HasLoadOrders &
  HasRulesFiles &
  HasFileAccess &
  HasDatabaseSecrets &
  HasPicturesFolder &
  HasRecordings &
  HasAddresses &
  HasStartToken &
  HasSignInNotice &
  HasClock &
  HasDns &
  HasAuthority &
  HasEdges &
  HasControlCertificate &
  HasControlNames &
  HasRecheck
