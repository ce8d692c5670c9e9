import { createHash } from 'node:crypto'
import { LRUCache } from 'lru-cache'
import { Readable } from 'node:stream'
import { fieldValue } from '../../core/http/fields.ts'
import { isStream } from '../../core/http/streams.ts'
import type { RequestContext } from './request-context.ts'
import type { OriginAnswer } from '../fetch/origin-client.ts'
import { OriginFailure } from '../fetch/origin-failure.ts'
import { readBody, prepend } from '../fetch/read-body.ts'

/** A poll is a short question with a short answer; what is larger is something else and passes. */
const LARGEST_QUESTION = 16 * 1024
const LARGEST_ANSWER = 64 * 1024

interface LastAnswer {
  readonly answer: Omit<OriginAnswer, 'body'>
  readonly bytes: Buffer
  readonly at: number
}

/** The last answers, one for each visitor and question. In memory only; never shared between visitors. */
const lastAnswers = new LRUCache<string, LastAnswer>({
  max: 5000,
  maxSize: 32 * 1024 * 1024,
  sizeCalculation: ({ bytes }) => bytes.length + 500,
})

/** Same site, same visitor, same question: cookies, credentials and the body all count. */
const questionOf = ({ route, method, target, fields, visitor }: RequestContext, body: Buffer): string =>
  createHash('sha256')
    .update(
      JSON.stringify([
        route.partition,
        visitor.hostName,
        method,
        target,
        fieldValue(fields, 'cookie') ?? visitor.address,
        fieldValue(fields, 'authorization') ?? '',
        fieldValue(fields, 'content-type') ?? '',
      ]),
    )
    .update(body)
    .digest('base64url')

const readQuestion = async ({ req, method }: RequestContext): Promise<Buffer | undefined> => {
  if (method === 'GET' || method === 'HEAD') return Buffer.alloc(0)
  const length = Number(req.headers['content-length'] ?? Number.NaN)
  // Read only what is known to be short: a body that was begun cannot be put back.
  if (!(length <= LARGEST_QUESTION)) return undefined
  const collected = await readBody(req, LARGEST_QUESTION)
  return collected.kind === 'complete' ? collected.bytes : undefined
}

export type Poll =
  | { readonly kind: 'passes' }
  | { readonly kind: 'answered'; readonly answer: OriginAnswer }
  | {
      readonly kind: 'asks'
      readonly body: Buffer
      /** Take down the origin's answer. @returns the answer to send on */
      readonly keep: (answer: OriginAnswer) => Promise<OriginAnswer>
    }

/** What becomes of a poll: answered with what the origin said a short while ago, or put to it and taken down. */
export const throttlePoll = async (context: RequestContext): Promise<Poll> => {
  const { route, path, io } = context
  if (route.polls === undefined || !route.polls.fits(path)) return { kind: 'passes' }
  const body = await readQuestion(context)
  if (body === undefined) return { kind: 'passes' }
  const question = questionOf(context, body)
  const last = lastAnswers.get(question)
  if (last !== undefined && io.now() - last.at < route.polls.everyMs)
    return {
      kind: 'answered',
      answer: { ...last.answer, body: Readable.from([last.bytes]) },
    }
  const keep = async (answer: OriginAnswer): Promise<OriginAnswer> => {
    const length = Number(fieldValue(answer.fields, 'content-length') ?? 0)
    if (answer.status !== 200 || length > LARGEST_ANSWER || isStream(answer.fields)) return answer
    const collected = await readBody(answer.body, LARGEST_ANSWER)
    if (collected.kind === 'truncated') throw new OriginFailure('broken', 'The origin broke off.')
    const { body: _body, ...rest } = answer
    // Too large to be taken down; it goes on as it comes.
    if (collected.kind === 'larger') return { ...rest, body: Readable.from(prepend(collected.start, answer.body)) }
    // A cookie that is set is set once.
    if (fieldValue(answer.fields, 'set-cookie') === undefined)
      lastAnswers.set(question, { answer: rest, bytes: collected.bytes, at: io.now() })
    return { ...rest, body: Readable.from([collected.bytes]) }
  }
  return { kind: 'asks', body, keep }
}
