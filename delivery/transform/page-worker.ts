import { PAGE_TASKS } from './page-tasks.ts'
import type { PageTask } from './transform-pool.ts'

/** Entry of a worker thread: carries out one task. */
export default ({ name, input }: PageTask): Promise<unknown> =>
  (PAGE_TASKS[name] as (input: unknown) => Promise<unknown>)(input)
