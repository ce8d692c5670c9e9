import { inBackground } from '../../core/in-background.ts'
import type { ProcessLog } from '../../process/log.ts'

/** What was already on its way when a fault showed goes on: one visitor's request must not end everybody's. */
export const surviveFaults = (log: ProcessLog): void => {
  process.on('uncaughtException', (error) => log.report(error, { outside: 'any request' }))
  process.on('unhandledRejection', (error) => log.report(error, { outside: 'any request' }))
}

/** Ends once, in good order, when the process is told to; what goes wrong then is written down. */
export const stopOnSignals = (log: ProcessLog, stop: () => Promise<void>): void => {
  let stopping: Promise<void> | undefined
  for (const signal of ['SIGTERM', 'SIGINT'] as const)
    process.on(signal, () => {
      stopping ??= stop()
      inBackground(stopping, (error) => {
        log.report(error, { stopping: signal })
        process.exit(1)
      })
    })
}
