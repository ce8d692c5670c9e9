import type { Fields } from '../../core/http/fields.ts'
import type { Route } from './routes.ts'

/** Who asked, as far as the origin needs to know. */
export interface Visitor {
  readonly address: string
  /** Without port, in lower case. */
  readonly hostName: string
  /**
   * Host and public port as absolute addresses are to have them. Not what the visitor wrote: a made-up port would end up in the links of
   * a page that everyone gets.
   */
  readonly host: string
  readonly scheme: 'http' | 'https'
}

/** Who an answer is for: everyone who asks alike, or one visitor. */
export type Audience = { readonly kind: 'everyone' } | { readonly kind: 'one'; readonly identity: string }

/** A request, read and found to belong to a site. */
export interface SiteRequest {
  readonly route: Route
  readonly visitor: Visitor
  readonly method: string
  /** Path and query. */
  readonly target: string
  readonly path: string
  readonly fields: Fields
  /** The edge that asks on a visitor's behalf. */
  readonly edge?: string | undefined
  /** It has come through another delivery that is not known here: nothing of it is shared, so that no circle can last. */
  readonly looped?: true | undefined
}
