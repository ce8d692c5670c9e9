import type { HasDelivery } from '../delivery/control/client.ts'
import type { HasEvents } from './live/event-bus.ts'
import type { HasPrivacyOrders } from './privacy/privacy-checks.ts'
import type { HasCookieOrders } from './privacy/cookie-search.ts'
import type { Job } from '../core/contracts/jobs.ts'
import type { MeasureIo } from './measuring/run-measurement.ts'
import { measureJob } from './measuring/measure-job.ts'
import { culpritJob } from './culprit/culprit-job.ts'
import { guidedJob } from './guided/guided-job.ts'
import { cookieSearch } from './privacy/cookie-search.ts'
import { resultWatch } from './routine/retests.ts'
import { privacyJob } from './privacy/privacy-job.ts'
import { safetyJob } from './safety/safety-job.ts'
import { certificateJob, type HasAuthority } from './golive/certificate-job.ts'
import type { HasDns } from './golive/dns-plans.ts'
import { liveCheckJob } from './golive/live-check-job.ts'
import { loadTestJob } from './load-tests/load-test-job.ts'
import type { HasLoadGenerator } from './load-tests/load-generator.ts'
import type { HasLoadOrders } from './load-tests/load-tests.ts'
import { fillJob } from './objects/fill-job.ts'
import { simulationJob } from './planner/simulations.ts'
import type { HasSimulator } from './planner/simulator.ts'
import type { HasClock } from './live/clock.ts'
import { warmUpJob } from './warmup/warm-up-job.ts'
import type { RoundClock } from './warmup/round-work.ts'
import type { JobHandler } from './jobs/job-queue.ts'
import type { HasFileAccess } from './files/file-connections.ts'
import type { HasRecordings } from './measuring/recordings.ts'
import type { HasDatabaseSecrets } from './databases/database-connections.ts'
import { habitsJob } from './upkeep/site-habits.ts'
import { backupJob } from './upkeep/backup-job.ts'
import type { HasUpkeepFolder } from './upkeep/backups.ts'
import { cleanUpJob } from './upkeep/clean-up-job.ts'
import { restoreJob } from './upkeep/restores.ts'
import type { HasScratch } from './upkeep/scratch-database.ts'
import { surveyJob } from './upkeep/surveys.ts'
import { conversionJob } from './pictures/conversion-job.ts'
import { picturePlacingJob } from './pictures/placing-job.ts'
import type { HasPictureMaker } from './pictures/picture-worker.ts'
import type { HasPicturesFolder } from './pictures/prepared-folder.ts'
import { pictureSurveyJob } from './pictures/survey-job.ts'
import { pageFilesJob } from './server-rules/page-files-job.ts'
import { placingJob } from './server-rules/placing-job.ts'
import { rehearsalJob, type HasRulesFiles, type HasServersFolder } from './server-rules/rehearsals.ts'

export type HandlerIo = MeasureIo &
  HasDelivery &
  HasEvents &
  HasPrivacyOrders &
  HasCookieOrders &
  HasSimulator &
  HasLoadGenerator &
  HasLoadOrders &
  HasRulesFiles &
  HasServersFolder &
  HasFileAccess &
  HasDatabaseSecrets &
  HasUpkeepFolder &
  HasScratch &
  HasPictureMaker &
  HasPicturesFolder &
  HasRecordings &
  HasAuthority &
  HasDns &
  HasClock & { readonly warmUpClock?: RoundClock }

/** Who does the work of each kind of job. */
export const jobHandlers = (io: HandlerIo): Record<Job['kind'], JobHandler> => ({
  measure: measureJob(io, resultWatch(io)),
  'privacy-check': privacyJob(io),
  'cookie-search': cookieSearch(io),
  'safety-check': safetyJob(io),
  'culprit-search': culpritJob(io),
  'guided-run': guidedJob(io),
  'warm-up': warmUpJob(io),
  simulation: simulationJob(io),
  'objects-fill': fillJob(io),
  certificate: certificateJob(io),
  'live-check': liveCheckJob(io),
  'load-test': loadTestJob(io),
  rehearsal: rehearsalJob(io),
  'rules-placing': placingJob(io),
  'server-pages': pageFilesJob(io),
  'database-survey': surveyJob(io),
  'database-backup': backupJob(io),
  'clean-up': cleanUpJob(io),
  'database-restore': restoreJob(io),
  'habits-look': habitsJob(io),
  'picture-survey': pictureSurveyJob(io),
  'picture-conversion': conversionJob(io),
  'picture-placing': picturePlacingJob(io),
})
