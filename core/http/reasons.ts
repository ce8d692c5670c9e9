/**
 * Closed lists of the reasons behind every decision of the cache. The code goes into Cache-Status, the log and the
 * counters; the sentence is what the interface shows.
 */

/** Why a request was sent on without looking into the store. */
export const PASSED = {
  'page-cache-off': 'The page cache is switched off in this setup.',
  method: 'Only GET and HEAD can be answered from the store (RFC 9110 §9.2.3).',
  path: 'The address is on the list of addresses that pass through.',
  parameter: 'The address has a query parameter on the list of those that pass through.',
  'visitor-cookie': 'The request has a personal cookie, such as a sign-in or a basket.',
  'comment-author': 'The visitor has written a comment that only they may see while it awaits approval.',
  'unknown-cookie':
    'The request has a cookie that is not known to be harmless. If it never changes a page, add its name to the harmless cookies.',
  authorization: 'The request has Authorization, so the response may be personal (RFC 9111 §3.5).',
  range: 'The request asks for part of a file, and no whole copy is stored.',
  'store-opening': 'Zest Lamp has just started and is opening its store; until then your server (origin) answers.',
  upgrade: 'The request asks to switch protocols.',
  accept:
    'The request accepts neither a page nor JSON (Accept), so only your server (origin) can choose the form (RFC 9110 §12.5.1).',
  'unknown-field':
    'A program or script sent a request field that is not known to be harmless, such as a key. If it never changes a response, add its name to the harmless request fields.',
  'through-another':
    'The request came through another Zest Lamp that is not known as an edge here (RFC 8586), so it is only passed on.',
  'home-away': 'The store next to the origin did not answer this edge, which asked your server (origin) instead.',
  content: 'The request has a body, which may change the response.',
} as const
export type PassReason = keyof typeof PASSED

/** Why an answer of the origin was not put into the store. */
export const NOT_STORED = {
  method: 'Only responses to GET are stored.',
  status: 'A response with this status and without a lifetime may not be stored (RFC 9110 §15.1).',
  partial: 'The response is only part of the file (206).',
  'no-store': 'The response says Cache-Control: no-store (RFC 9111 §5.2.2.5).',
  private: 'The response says Cache-Control: private: it is meant for one visitor (RFC 9111 §5.2.2.7).',
  authorized: 'The request had Authorization; public, must-revalidate or s-maxage would allow it (RFC 9111 §3.5).',
  'request-no-store': 'The request says Cache-Control: no-store, and this setup follows requests (RFC 9111 §5.2.1.5).',
  'redirect-to-itself':
    'The response redirects to the requested address itself. If stored, every visitor would be redirected in a circle.',
  'sets-cookie': 'The response sets a cookie, so it may be meant for one visitor only.',
  'own-cookie-in-page':
    'The page contains the value of a cookie that came with it, in an address or a form, so it belongs to that session.',
  'vary-star': 'The response says Vary: *, so no other request can match it (RFC 9111 §4.1).',
  'no-lifetime': 'Nothing says how long to keep this response, or how to tell whether it changed.',
  stream: 'The response is a stream, which arrives piece by piece and has no lifetime.',
  'too-large': 'The response is larger than the store allows.',
  truncated: 'Your server (origin) ended the response before it was complete (RFC 9111 §3.3).',
  'purged-meanwhile': 'The address was purged while this response was on its way, so it may be older than the change.',
  'not-at-edges': 'The store next to the origin did not say that an edge may keep this response.',
  encoded: 'The response uses an unknown content coding.',
} as const
export type NotStoredReason = keyof typeof NOT_STORED

/** Why a stored response could not simply be used. */
export const MISSED = {
  'uri-miss': 'Nothing is stored for this address.',
  'vary-miss': 'Something is stored for this address, but not for a request with these fields (RFC 9111 §4.1).',
  stale: 'What is stored has outlived its lifetime.',
  request: 'The request asks for a newer response than the stored one (RFC 9111 §5.2.1).',
} as const
export type MissReason = keyof typeof MISSED
