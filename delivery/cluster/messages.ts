import type { DecisionRecord } from '../../core/contracts/delivery.ts'
import type { DeliveryConfig } from '../../core/contracts/delivery-config.ts'
import type { CacheKey } from '../../core/cache/cache-key.ts'
import type { Outcome } from '../../core/http/cache-status.ts'
import type { Coding } from '../../core/http/negotiation.ts'
import type { CountedAnswer } from '../metrics/counters.ts'
import type { StoredEntry } from '../store/response-store.ts'

/** Raise when a process of the last version would not understand these: it ends, and is started again as one of this version. */
export const MESSAGES_VERSION = 1

/** A stored response with all its bytes. */
export interface Copy {
  readonly entry: StoredEntry
  readonly bodies: readonly (readonly [Coding, Buffer])[]
}

/** What the first process tells a further one. `seq` is confirmed once it, and all before it, is in force. */
export type ToFurther =
  | { readonly kind: 'config'; readonly version: number; readonly seq: number; readonly config: DeliveryConfig }
  /** All that is stored for an address; from now on it is told when that changes. */
  | { readonly kind: 'copies'; readonly key: CacheKey; readonly copies: readonly Copy[] }
  | { readonly kind: 'changed'; readonly key: CacheKey }
  /** Anything of a site, or of all, may have changed. */
  | { readonly kind: 'swept'; readonly siteId: string | undefined }
  | { readonly kind: 'confirm'; readonly seq: number }
  /** @property at when it was sent, by the clock that processes of one machine share, ms */
  | { readonly kind: 'beat'; readonly at: number }

/** An answer that a further process has given by itself. */
export interface Answered {
  /** Which sums it belongs to. */
  readonly countedAs: string
  readonly outcome: Outcome
  readonly answer: CountedAnswer
  readonly record: DecisionRecord
}

/** A page that a visitor asked a further process for. */
export interface PageAsked {
  readonly countedAs: string
  readonly target: string
  readonly referer: string | undefined
  readonly host: string
}

/** What a further process tells the first one. */
export type ToFirst =
  | { readonly kind: 'want'; readonly key: CacheKey }
  /** The copy had to make room. */
  | { readonly kind: 'dropped'; readonly key: CacheKey }
  | {
      readonly kind: 'answered'
      readonly answers: readonly Answered[]
      readonly pages: readonly PageAsked[]
      /** Addresses whose copies were used, each once. */
      readonly used: readonly CacheKey[]
    }
  | { readonly kind: 'confirmed'; readonly seq: number }
