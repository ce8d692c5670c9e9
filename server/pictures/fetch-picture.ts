import { createHash } from 'node:crypto'
import { askSite, type AskedSite } from '../net/asked-site.ts'
import { OutsideFailure } from '../net/outside-request.ts'

/** Bytes; a picture that is larger is left alone. */
export const LARGEST_PICTURE = 60_000_000

export interface Validator {
  etag?: string
  lastModified?: string
}

/** A picture as the server of the site has it. */
export type FetchedPicture =
  | { readonly kind: 'here'; readonly bytes: Buffer; readonly digest: string; readonly validator: Validator }
  | { readonly kind: 'unchanged' }
  | { readonly kind: 'gone' }
  | { readonly kind: 'failed'; readonly reason: string }

export const digestOf = (bytes: Buffer): string => createHash('sha256').update(bytes).digest('hex')

/** Browsers are given other forms by some servers; asked like this, they give the original. */
const ORIGINAL_ONLY = { accept: 'image/jpeg,image/png,image/gif,*/*;q=0.1' }

/** Fetch a picture from the server of the site, unless it is still the one that is known. */
export const fetchPicture = async (site: AskedSite, path: string, known: Validator = {}): Promise<FetchedPicture> => {
  try {
    const { status, body, fields } = await askSite(
      site,
      path,
      {
        ...ORIGINAL_ONLY,
        ...(known.etag !== undefined && { 'if-none-match': known.etag }),
        ...(known.lastModified !== undefined && { 'if-modified-since': known.lastModified }),
      },
      LARGEST_PICTURE,
    )
    if (status === 304) return { kind: 'unchanged' }
    if (status === 404 || status === 410) return { kind: 'gone' }
    if (status !== 200) return { kind: 'failed', reason: `The server answered with status ${status}.` }
    const [etag, lastModified] = [fields.get('etag'), fields.get('last-modified')]
    const validator = { ...(etag !== undefined && { etag }), ...(lastModified !== undefined && { lastModified }) }
    return { kind: 'here', bytes: body, digest: digestOf(body), validator }
  } catch (error) {
    if (error instanceof OutsideFailure) return { kind: 'failed', reason: error.message }
    throw error
  }
}
