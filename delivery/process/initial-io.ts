import { performance } from 'node:perf_hooks'
import { join } from 'node:path'
import { PageLinks } from '../../core/watching/page-links.ts'
import { epochMs } from '../../core/time.ts'
import type { ProcessLog } from '../../process/log.ts'
import { InFlightRequests } from '../fetch/request-collapsing.ts'
import { OriginClient } from '../fetch/origin-client.ts'
import { VaryMemory } from '../fetch/vary-memory.ts'
import { Counters } from '../metrics/counters.ts'
import type { Routes } from '../request/routes.ts'
import { Recompression } from '../respond/recompression.ts'
import type { DeliveryIo } from '../respond/request-context.ts'
import type { BeforeOpening } from '../store/before-opening.ts'
import { MemoryStore } from '../store/memory-store.ts'
import type { ResponseStore } from '../store/response-store.ts'
import { GeneratedAssets } from '../transform/generated-assets.ts'
import { memoizingPool } from '../transform/memoizing-pool.ts'
import { PageRewriter } from '../transform/page-rewriter.ts'
import { workerPool } from '../transform/worker-pool.ts'
import type { PublicAddresses } from './addresses.ts'

/** Bytes of copies for one visitor each. */
const OWN_COPIES_BYTES = 64 * 1024 * 1024

export const now: DeliveryIo['now'] = () => epochMs(Date.now())

/** Programs stand beside each other in dist/. Threads are begun when the first page is to be rewritten. */
export const transformers = (): ReturnType<typeof workerPool> =>
  workerPool({
    pageWorker: join(import.meta.dirname, 'page-worker.mjs'),
    bulkWorker: join(import.meta.dirname, 'bulk-worker.mjs'),
  })

/** What a process begins with that answers visitors. @param store what is answered from until there is another */
export const initialIo = (
  store: ResponseStore,
  {
    beforeOpening,
    pool,
    publicPorts,
    instance,
    log,
    routes,
  }: {
    readonly beforeOpening?: BeforeOpening | undefined
    readonly pool: ReturnType<typeof workerPool>
    readonly publicPorts: PublicAddresses['publicPorts']
    readonly instance: string
    readonly log: ProcessLog
    readonly routes: () => Routes
  },
): DeliveryIo => ({
  beforeOpening,
  now,
  elapsed: () => performance.now(),
  say: log.say,
  report: log.report,
  store,
  ownCopies: new MemoryStore(OWN_COPIES_BYTES),
  recompression: new Recompression(store),
  rewriter: new PageRewriter(memoizingPool(pool), new GeneratedAssets(store, now)),
  publicPort: (scheme) => publicPorts[scheme],
  origin: new OriginClient(),
  inFlight: new InFlightRequests(),
  varied: new VaryMemory(),
  links: new PageLinks(),
  counters: new Counters(now()),
  routes,
  instance,
})
