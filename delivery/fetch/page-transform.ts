import type { EpochMs } from '../../core/time.ts'
import type { Fields } from '../../core/http/fields.ts'
import type { RewrittenPage } from '../../core/page/rewrite.ts'

/** A page as the origin sent it. */
export interface PageAnswer {
  readonly status: number
  readonly fields: Fields
}

export interface TransformedPage extends RewrittenPage {
  readonly kind: 'rewritten'
  readonly bytes: Buffer
  readonly bytesBefore: number
}

/** What became of a page that was to be rewritten. */
export type TransformOutcome =
  | TransformedPage
  /** Nothing can be done with it, however often it is tried: it is too large, or in an encoding that is not known here. */
  | { readonly kind: 'untouched' }
  /** Left alone for a while, since rewriting it failed. */
  | { readonly kind: 'failed'; readonly why: string; readonly againAt: EpochMs }
