import { transferMs, type LinkRate } from './transport/slow-start.ts'

/** What the initial viewport of a page cannot do without. */
export interface CriticalBytes {
  /** Bytes of the HTML as sent. */
  readonly document: number
  /** Bytes of what blocks rendering plus the element of the main content, as sent, in one further fetch. */
  readonly rest: number
}

/**
 * The floor: the least time until the main content can appear on a link. One round trip each for DNS, TCP and, with
 * https, TLS 1.3 (RFC 8446 §2), the HTML on a new connection, and one more round trip for everything else it needs, at full
 * rate; server wait zero, no script time.
 * @returns ms since the visitor asked
 */
export const floorMs = (critical: CriticalBytes, link: LinkRate, scheme: 'http' | 'https'): number => {
  const handshakes = (scheme === 'https' ? 3 : 2) * link.roundTripMs
  const document = transferMs(critical.document, link)
  if (critical.rest === 0) return handshakes + document
  // By then the window has grown; the rest is bound by one round trip of discovery and the link's rate.
  return handshakes + document + link.roundTripMs + (critical.rest * 8000) / link.downBitsPerS
}
