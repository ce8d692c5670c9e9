import { fieldValue, type Fields } from '../../core/http/fields.ts'
import { decideReuse, mayServeOnError } from '../../core/http/reuse.ts'
import { keyOf, storeOf, type Inquiry } from '../exchange.ts'
import { OriginFailure } from '../origin/origin-failure.ts'
import { askOrigin } from './ask-origin.ts'
import { decode } from './coding.ts'
import { collect } from './collection.ts'
import { decideKeeping, keep } from './keeping.ts'

/** What an address of the site holds, for our own use. */
export interface Obtained {
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
export const obtain = async (
  inquiry: Inquiry,
  {
    largest,
    kept,
    mayAsk = () => true,
  }: { readonly largest: number; readonly kept: boolean; readonly mayAsk?: () => boolean },
): Promise<Obtained | undefined> => {
  const { io, rule, fields } = inquiry
  const key = keyOf(inquiry)
  const decision = kept
    ? decideReuse(fields, storeOf(inquiry).candidates(key), rule.reuse, io.now())
    : ({ kind: 'fetch', reason: 'uri-miss', stale: undefined } as const)
  if (decision.kind === 'reuse' || decision.kind === 'reuse-stale') {
    const bytes = await storeOf(inquiry).body(decision.stored, 'identity')
    if (bytes !== undefined) return { status: decision.stored.status, fields: decision.stored.fields, bytes }
  }
  if (!mayAsk()) return undefined
  const flight = io.flights.begin(key, false)
  try {
    const answer = await askOrigin(inquiry, key, [])
    const collected = await collect(answer.body, largest)
    if (collected.kind !== 'complete') {
      answer.body.destroy()
      return undefined
    }
    if (kept && decideKeeping(inquiry, answer).kind === 'store')
      await keep(inquiry, key, flight, answer, collected.bytes)
    const bytes = await plain(answer.fields, collected.bytes)
    return bytes === undefined ? undefined : { status: answer.status, fields: answer.fields, bytes }
  } catch (error) {
    if (!(error instanceof OriginFailure)) throw error
    const stale =
      decision.kind === 'fetch' ? decision.stale : decision.kind === 'validate' ? decision.stored : undefined
    if (stale === undefined || !mayServeOnError(stale, rule.reuse, io.now())) return undefined
    const bytes = await storeOf(inquiry).body(stale, 'identity')
    return bytes === undefined ? undefined : { status: stale.status, fields: stale.fields, bytes }
  } finally {
    io.flights.end(flight)
  }
}
