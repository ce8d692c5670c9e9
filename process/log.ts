import pino from 'pino'

/** The log of this process: lines of JSON on standard error. */
export interface ProcessLog {
  /** Something the owner should know, in a sentence. */
  readonly say: (sentence: string) => void
  /** A fault of ours. @returns its number, which the visitor who met it is told */
  readonly report: (error: unknown, about: Readonly<Record<string, unknown>>) => string
}

/** @param instance name of this process, so that numbers of several processes differ */
export const createLog = (room: string, instance: string, level = 'warn'): ProcessLog => {
  const log = pino({ level, base: { room, instance } }, pino.destination(2))
  let faults = 0
  return {
    say: (sentence) => log.warn(sentence),
    report: (error, about) => {
      const requestId = `${instance.slice(-6)}-${++faults}`
      log.error({ requestId, ...about, err: error }, 'A request met a fault of Zest Lamp.')
      return requestId
    },
  }
}
