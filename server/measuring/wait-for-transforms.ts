import type { HasDelivery } from '../../delivery/control/client.ts'
import type { JobProgress } from '../jobs/job-queue.ts'

/** Longest wait for pages and pictures to be made ready; then what is there is measured. */
const LONGEST_PREPARING_MS = 10 * 60_000
const LOOK_AGAIN_MS = 400

/** "not-ready": its owner would not wait, or it took too long, and something was still being made. */
export type Prepared = 'ready' | 'waited' | 'not-ready'

/** Wait until delivery has rewritten and converted what the site's pages need; its owner may skip that. */
export const waitForTransforms = async (
  { delivery }: HasDelivery,
  siteId: string,
  progress: JobProgress,
  done: number,
  all: number,
): Promise<Prepared> => {
  const startedAt = performance.now()
  let most = 0
  try {
    for (;;) {
      // Without delivery nothing is being prepared, and the loads will say so.
      const { waiting } = await delivery.preparing(siteId).catch(() => ({ waiting: 0 }))
      most = Math.max(most, waiting)
      if (waiting === 0) return most > 0 ? 'waited' : 'ready'
      const passed = performance.now() - startedAt
      const skipped = progress.offerSkip('Measure what is ready')
      if (skipped || progress.signal.aborted || passed > LONGEST_PREPARING_MS) return 'not-ready'
      const left = most > waiting ? (passed / (most - waiting)) * waiting : null
      await progress.report(done, all, `Preparing pages and pictures, ${waiting} left`, left)
      await new Promise((resolve) => setTimeout(resolve, LOOK_AGAIN_MS))
    }
  } finally {
    progress.offerSkip(null)
  }
}
