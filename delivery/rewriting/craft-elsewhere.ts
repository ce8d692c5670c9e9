import { availableParallelism } from 'node:os'
import { Piscina } from 'piscina'
import { BulkProcess } from './bulk-process.ts'
import type { BulkTask, Craft, PageTask } from './craft.ts'

/** A page that takes longer than this to rewrite is left as it is. */
const LONGEST_PAGE_MS = 30_000

/** Work in worker threads and, where it is long, in a process of its own; so that visitors' traffic is never held up. */
export const craftElsewhere = (paths: {
  readonly pageWorker: string
  readonly bulkWorker: string
}): Craft => {
  const pool = new Piscina({
    filename: paths.pageWorker,
    minThreads: 0,
    maxThreads: Math.max(1, availableParallelism() - 1),
    idleTimeout: 60_000,
    maxQueue: 500,
  })
  const bulk = new BulkProcess(paths.bulkWorker)
  const page = <Name extends PageTask['name']>(name: Name) =>
    ((input: unknown) =>
      pool.run({ name, input }, { signal: AbortSignal.timeout(LONGEST_PAGE_MS) })) as unknown as Craft[Name]
  const heavy = <Name extends BulkTask['name']>(name: Name) =>
    ((input: unknown) => bulk.run({ name, input } as BulkTask)) as unknown as Craft[Name]
  return {
    readPage: page('readPage'),
    readSheet: page('readSheet'),
    page: page('page'),
    sheet: page('sheet'),
    svg: page('svg'),
    json: page('json'),
    pictureFacts: heavy('pictureFacts'),
    picture: heavy('picture'),
    font: heavy('font'),
    script: heavy('script'),
    waiting: () => bulk.waiting,
    close: async () => {
      bulk.close()
      await pool.destroy()
    },
  }
}
