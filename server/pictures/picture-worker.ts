import { fork, type ChildProcess } from 'node:child_process'
import type { PicturePlan } from '../../core/contracts/picture-library.ts'
import type { Choice, PictureFacts, PictureOrder, Unreadable } from './picture-tasks.ts'

/** What is asked of the process that makes pictures lighter; both ends are one build. */
export type PictureQuestion = { readonly bytes: Uint8Array } & (
  { readonly ask: 'facts' } | { readonly ask: 'choice'; readonly order: PictureOrder & Pick<PicturePlan, 'processor'> }
)
export interface PictureAnswer {
  readonly facts?: PictureFacts | Unreadable
  readonly choice?: Choice
}

/** Who looks at pictures and makes them lighter. */
export interface PictureMaker {
  facts(bytes: Buffer, signal: AbortSignal): Promise<PictureFacts | Unreadable>
  choose(bytes: Buffer, plan: PicturePlan, signal: AbortSignal): Promise<Choice>
  /** Let the process go; it is started again when there is more to do. */
  end(): void
}

export interface HasPictureMaker {
  readonly pictureMaker: PictureMaker
}

/** Longest time for one picture at the full share of a processor, ms; what takes longer is left as it is. */
const LONGEST_MS = 10 * 60_000
const ENDED = 'The process that makes pictures lighter ended at it. It may unpack to more memory than there is.'
const TOO_LONG = 'It took more than ten minutes.'

/** One process at a time, one picture at a time. @param program see picture-program.ts */
export const pictureProcess = (program: string): PictureMaker => {
  let child: ChildProcess | undefined
  const started = (): ChildProcess => {
    if (child !== undefined) return child
    const made = fork(program, [], {
      serialization: 'advanced',
      stdio: ['ignore', 'ignore', 'inherit', 'ipc'],
      env: { PATH: process.env['PATH'] },
    })
    made.once('exit', () => {
      if (child === made) child = undefined
    })
    child = made
    return made
  }
  const end = (): void => {
    child?.kill('SIGKILL')
    child = undefined
  }
  /** @returns the answer, or why there is none */
  const ask = (question: PictureQuestion, mostMs: number, signal: AbortSignal): Promise<PictureAnswer | string> =>
    new Promise((resolve, reject) => {
      signal.throwIfAborted()
      const asked = started()
      const settle = (act: () => void): void => {
        clearTimeout(timer)
        signal.removeEventListener('abort', onAbort)
        asked.removeListener('message', onMessage)
        asked.removeListener('exit', onExit)
        act()
      }
      const onMessage = (answer: PictureAnswer): void => settle(() => resolve(answer))
      const onExit = (): void => settle(() => resolve(ENDED))
      const onAbort = (): void => {
        end()
        settle(() => reject(signal.reason as Error))
      }
      const timer = setTimeout(() => {
        end()
        settle(() => resolve(TOO_LONG))
      }, mostMs)
      asked.once('message', onMessage)
      asked.once('exit', onExit)
      signal.addEventListener('abort', onAbort)
      asked.send(question, (error) => {
        if (error !== null) settle(() => resolve(ENDED))
      })
    })
  return {
    end,
    facts: async (bytes, signal) => {
      const answer = await ask({ ask: 'facts', bytes }, LONGEST_MS, signal)
      return typeof answer === 'string' || answer.facts === undefined
        ? { unreadable: typeof answer === 'string' ? answer : ENDED }
        : answer.facts
    },
    choose: async (bytes, { bound, lossless, forms, widest, density, metadata, processor }, signal) => {
      const order = { bound, lossless, forms, widest, density, metadata, processor }
      const answer = await ask({ ask: 'choice', bytes, order }, (LONGEST_MS * 100) / processor, signal)
      return typeof answer === 'string' || answer.choice === undefined
        ? { kind: 'failed', reason: typeof answer === 'string' ? answer : ENDED }
        : answer.choice
    },
  }
}
