import { fieldValue, type Fields } from '../../core/http/fields.ts'
import { decideReuse, mayServeOnError } from '../../core/http/reuse.ts'
import { keyOf } from '../cache-keys/partitions.ts'
import { type FetchContext, storeOf } from './fetch-context.ts'
import { OriginFailure } from './origin-failure.ts'
import { askOrigin } from './ask-origin.ts'
import { decode } from './content-coding.ts'
import { readBody } from './read-body.ts'
import { decideStorage, storeResponse } from './store-response.ts'

/** What an address of the site holds, for our own use. */
export interface FetchedResource {
  readonly status: number
  readonly fields: Fields
  readonly bytes: Buffer
}

const plain = async (fields: Fields, bytes: Buffer): Promise<Buffer | undefined> => {
  const coding = fieldValue(fields, 'content-encoding')
  return coding === undefined ? bytes : decode(bytes, coding)
}

/**
 * Get a file, page or fragment of the site as its audience would get it: from the store, else from the origin.
 * @param largest more bytes than this are not read
 * @param kept whether the store may be used for it
 * @param mayAsk asked before the origin is; false: only what is stored may be used
 * @returns undefined when it is too large, or the origin fails and nothing old may stand in
 */
export const fetchThroughCache = async (
  context: FetchContext,
  {
    largest,
    kept,
    mayAsk = () => true,
  }: { readonly largest: number; readonly kept: boolean; readonly mayAsk?: () => boolean },
): Promise<FetchedResource | undefined> => {
  const { io, rule, fields } = context
  const key = keyOf(context)
  const decision = kept
    ? decideReuse(fields, storeOf(context).candidates(key), rule.reuse, io.now())
    : ({ kind: 'fetch', reason: 'uri-miss', stale: undefined } as const)
  if (decision.kind === 'reuse' || decision.kind === 'reuse-stale') {
    const bytes = await storeOf(context).body(decision.stored, 'identity')
    if (bytes !== undefined) return { status: decision.stored.status, fields: decision.stored.fields, bytes }
  }
  if (!mayAsk()) return undefined
  const inFlightRequest = io.inFlight.begin(key, false)
  try {
    const answer = await askOrigin(context, key, [])
    const collected = await readBody(answer.body, largest)
    if (collected.kind !== 'complete') {
      answer.body.destroy()
      return undefined
    }
    if (kept && decideStorage(context, answer).kind === 'store')
      await storeResponse(context, key, inFlightRequest, answer, collected.bytes)
    const bytes = await plain(answer.fields, collected.bytes)
    return bytes === undefined ? undefined : { status: answer.status, fields: answer.fields, bytes }
  } catch (error) {
    if (!(error instanceof OriginFailure)) throw error
    const stale =
      decision.kind === 'fetch' ? decision.stale : decision.kind === 'validate' ? decision.stored : undefined
    if (stale === undefined || !mayServeOnError(stale, rule.reuse, io.now())) return undefined
    const bytes = await storeOf(context).body(stale, 'identity')
    return bytes === undefined ? undefined : { status: stale.status, fields: stale.fields, bytes }
  } finally {
    io.inFlight.end(inFlightRequest)
  }
}
