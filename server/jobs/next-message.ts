import type { ChildProcess } from 'node:child_process'

/** Why a process of ours sent no message. */
export class NoMessage extends Error {
  readonly reason: 'ended' | 'silent' | 'aborted'
  constructor(reason: 'ended' | 'silent' | 'aborted') {
    super(`No message came: ${reason}.`)
    this.reason = reason
  }
}

/**
 * The next message of a process started with `fork`; not parsed.
 * @param options.timeoutMs longest time to wait for it, ms
 * @throws NoMessage when the process ends, when it is silent for too long, or when the signal is aborted
 */
export const nextMessage = (
  child: ChildProcess,
  { timeoutMs, signal }: { timeoutMs: number; signal?: AbortSignal | undefined },
): Promise<unknown> =>
  new Promise((resolve, reject) => {
    const stopListening = (): void => {
      clearTimeout(timer)
      child.off('message', onMessage)
      child.off('exit', onExit)
      signal?.removeEventListener('abort', onAbort)
    }
    const onMessage = (message: unknown): void => {
      stopListening()
      resolve(message)
    }
    const fail = (reason: NoMessage['reason']): void => {
      stopListening()
      reject(new NoMessage(reason))
    }
    const onExit = (): void => fail('ended')
    const onAbort = (): void => fail('aborted')
    const timer = setTimeout(() => fail('silent'), timeoutMs)
    child.on('message', onMessage)
    child.on('exit', onExit)
    signal?.addEventListener('abort', onAbort)
  })
