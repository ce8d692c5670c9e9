import { pipeline, Transform, type TransformCallback } from 'node:stream'
import { ABOUT_BYTES } from '../../core/http/about-bytes.ts'
import { fieldValue, withoutFields } from '../../core/http/fields.ts'
import { rewriteHostsInFields, namesAddresses, rewriteHosts, type HostRewrite } from '../../core/http/host-rewrite.ts'
import { LARGEST_PAGE_BYTES } from '../../core/page/document/largest-page.ts'
import type { SiteRequest } from '../request/site-request.ts'
import type { OriginAnswer } from './origin-client.ts'

/** Collects a text and sends it on with own addresses; one that is too large goes on as it comes. */
class Translation extends Transform {
  readonly #addresses: HostRewrite
  readonly #chunks: Buffer[] = []
  #bytes = 0
  #passes = false

  constructor(addresses: HostRewrite) {
    super()
    this.#addresses = addresses
  }

  override _transform(chunk: Buffer, _encoding: BufferEncoding, done: TransformCallback): void {
    if (this.#passes) return done(null, chunk)
    this.#chunks.push(chunk)
    this.#bytes += chunk.length
    if (this.#bytes <= LARGEST_PAGE_BYTES) return done()
    this.#passes = true
    done(null, Buffer.concat(this.#chunks))
  }

  override _flush(done: TransformCallback): void {
    if (this.#passes) return done()
    // Addresses are ASCII; every other byte comes out as it went in.
    const text = Buffer.concat(this.#chunks).toString('latin1')
    done(null, Buffer.from(rewriteHosts(text, this.#addresses), 'latin1'))
  }
}

/** An answer of the origin with links, redirects and cookies kept within the name that the visitor uses: a trial's, or live's where the origin knows itself by another. */
export const translateHosts = (
  { route, visitor, method }: Pick<SiteRequest, 'route' | 'visitor' | 'method'>,
  answer: OriginAnswer,
): OriginAnswer => {
  if (route.otherNames.length === 0) return answer
  const addresses = {
    others: route.otherNames.filter((name) => name !== visitor.hostName),
    own: `${visitor.scheme}://${visitor.host}`,
  }
  const fields = rewriteHostsInFields(answer.fields, addresses)
  const plain = fieldValue(fields, 'content-encoding') === undefined
  if (!namesAddresses(fields) || !plain || method === 'HEAD' || addresses.others.length === 0)
    return { ...answer, fields }
  const body = new Translation(addresses)
  // A page that breaks off breaks off here too; who reads it sees that.
  pipeline(answer.body, body, () => undefined)
  return { ...answer, fields: withoutFields(fields, ABOUT_BYTES), body }
}
