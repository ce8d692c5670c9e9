/** Where a site shows that something has changed. */
export interface WatchSource {
  /** Path and query. */
  readonly path: string
  readonly kind: 'home' | 'feed' | 'sitemap'
  /** Validators of the last answer, to be asked with (RFC 9110 §13.1). */
  readonly etag: string | null
  readonly lastModified: string | null
  /** What was read last; for the home page one entry. */
  readonly marks: [string, string][]
}
