import type { Fields } from './fields.ts'
import type { EpochMs, Seconds } from '../time.ts'

/** A request field nominated by Vary, with the value it had (RFC 9111 §4.1); null when the request had none. */
export type Nominated = readonly [name: string, value: string | null]

/** Why a copy was fetched although no visitor asked: a warm-up round, or an earlier copy that was marked stale. */
export const FILLED_BY = ['warm-up', 'refresh'] as const
export type FilledBy = (typeof FILLED_BY)[number]

/** What is known of a stored response besides its bytes (RFC 9111 §3). */
export interface StoredResponse {
  readonly status: number
  /** End-to-end fields of the origin's response, for identity coding. */
  readonly fields: Fields
  readonly requestTime: EpochMs
  readonly responseTime: EpochMs
  readonly correctedInitialAge: Seconds
  readonly nominated: readonly Nominated[]
  /** Stale from then on, whatever its lifetime: since its address was purged softly, or since what could not be done to it is to be tried again. */
  readonly staleSince?: EpochMs | undefined
  /** Set when the origin's own Cache-Control was not followed here: a browser is told to ask each time. */
  readonly askEachTime?: true | undefined
  /** Set when the bytes are others than the origin's: its tag and digests do not stand for them. */
  readonly rewritten?: true | undefined
  /** Set when the page may be rendered before its visitor opens it: showing it asks nobody for anything. */
  readonly prerender?: 'allowed' | undefined
  /** Set when it has to be fetched whole the next time: its bytes were to be rewritten and that failed, or what is made of them is another now. */
  readonly asItCame?: true | undefined
  /** Who had it fetched; undefined: a visitor. */
  readonly filledBy?: FilledBy | undefined
}

/** What the origin took until its answer began, ms: the wait that each use of the copy saves a visitor. */
export const waitOf = ({ requestTime, responseTime }: Pick<StoredResponse, 'requestTime' | 'responseTime'>): number =>
  Math.max(0, responseTime - requestTime)
