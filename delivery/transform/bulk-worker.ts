import { BULK_TASKS } from './bulk-tasks.ts'
import type { BulkTask } from './transform-pool.ts'

/** Entry of the process for bulk work: one task after the other, as they are sent. */
export interface BulkRequest {
  readonly id: number
  readonly task: BulkTask
}
export type BulkReply = { readonly id: number } & ({ readonly done: unknown } | { readonly failed: string })

process.on('message', ({ id, task }: BulkRequest) => {
  ;(BULK_TASKS[task.name] as (input: unknown) => Promise<unknown>)(task.input).then(
    (done) => process.send!({ id, done } satisfies BulkReply),
    (error: Error) => process.send!({ id, failed: error.message } satisfies BulkReply),
  )
})
// Delivery has ended: nobody wants the rest.
process.on('disconnect', () => process.exit(0))
