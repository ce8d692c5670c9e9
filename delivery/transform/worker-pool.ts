import { availableParallelism } from 'node:os'
import pLimit from 'p-limit'
import { Piscina } from 'piscina'
import { BulkProcess } from './bulk-process.ts'
import type { BulkTask, TransformPool, PageTask } from './transform-pool.ts'

/** A page that takes longer than this to rewrite, waiting for others not counted, is left as it is. */
const LONGEST_PAGE_MS = 30_000
/** Memory of one thread, MB; far above what the largest page that is taken needs. */
const MOST_MEMORY_MB = 512
/** Tasks of pages that may wait for a thread. */
const MOST_WAITING = 500

/** Work in worker threads and, where it is long, in a process of its own; so that visitors' traffic is never held up. */
export const workerPool = (
  paths: { readonly pageWorker: string; readonly bulkWorker: string },
  longestMs = LONGEST_PAGE_MS,
): TransformPool => {
  const maxThreads = Math.max(1, availableParallelism() - 1)
  const pool = new Piscina({
    filename: paths.pageWorker,
    minThreads: 0,
    maxThreads,
    idleTimeout: 60_000,
    // A page that makes its rewriting take more memory than this ends the thread, and goes out as it came.
    resourceLimits: { maxOldGenerationSizeMb: MOST_MEMORY_MB },
  })
  // The pool's own queue would count the waiting too: after a purge of a large site, pages were given up for those before them.
  const turn = pLimit(maxThreads)
  const onThread = async (task: { name: string; input: unknown }): Promise<unknown> => {
    if (turn.pendingCount >= MOST_WAITING) throw new Error('too many pages wait to be rewritten')
    return turn(async () => {
      const signal = AbortSignal.timeout(longestMs)
      return pool.run(task, { signal }).catch((error: unknown) => {
        if (!signal.aborted) throw error
        throw new Error(`it took longer than ${longestMs / 1000} s`, { cause: error })
      })
    })
  }
  const bulk = new BulkProcess(paths.bulkWorker)
  const page = <Name extends PageTask['name']>(name: Name) =>
    ((input: unknown) => onThread({ name, input })) as TransformPool[Name]
  const heavy = <Name extends BulkTask['name']>(name: Name) =>
    ((input: unknown) => bulk.run({ name, input } as BulkTask)) as TransformPool[Name]
  return {
    readPage: page('readPage'),
    readSheet: page('readSheet'),
    page: page('page'),
    sheet: page('sheet'),
    svg: page('svg'),
    json: page('json'),
    pictureFacts: heavy('pictureFacts'),
    picture: heavy('picture'),
    quickPicture: heavy('quickPicture'),
    font: heavy('font'),
    script: heavy('script'),
    waiting: () => bulk.waiting,
    close: async () => {
      bulk.close()
      await pool.destroy()
    },
  }
}
