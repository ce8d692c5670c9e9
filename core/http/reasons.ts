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
  'visitor-cookie': 'The request carries a cookie that belongs to one visitor, such as a sign-in or a basket.',
  'comment-author': 'The visitor has written a comment, which only they may see while it waits to be looked at.',
  'unknown-cookie':
    'The request carries a cookie that is not known to be harmless. Add its name to the harmless cookies if it is.',
  authorization: 'The request carries Authorization, so the answer may be meant for one visitor (RFC 9111 §3.5).',
  range: 'The request asks for a part of a file of which no whole copy is stored.',
  'store-opening': 'Zest Lamp has just started and is opening its store; meanwhile the origin answers.',
  upgrade: 'The request asks to switch protocols.',
  accept:
    'The request wants another form of the address than a page or JSON (Accept), which only the origin can choose (RFC 9110 §12.5.1).',
  'unknown-field':
    'A program or a script sent a request field that is not known to be harmless, such as a key. Add its name to the harmless request fields if it never changes an answer.',
  content: 'The request has content, which may change the answer.',
} as const
export type PassReason = keyof typeof PASSED

/** Why an answer of the origin was not put into the store. */
export const NOT_STORED = {
  method: 'Only answers to GET are stored.',
  status: 'The status of the answer gives no lifetime and may not be stored by default (RFC 9110 §15.1).',
  partial: 'The answer is only a part of the file (206).',
  'no-store': 'The response says Cache-Control: no-store (RFC 9111 §5.2.2.5).',
  private: 'The response says Cache-Control: private: it is meant for one visitor (RFC 9111 §5.2.2.7).',
  authorized: 'The request had Authorization; public, must-revalidate or s-maxage would allow it (RFC 9111 §3.5).',
  'request-no-store': 'The request says Cache-Control: no-store, and this setup follows requests (RFC 9111 §5.2.1.5).',
  'redirect-to-itself':
    'The response redirects to the address that was asked for. Stored, it would send every visitor round in a circle.',
  'sets-cookie': 'The response sets a cookie, so it may be meant for one visitor only.',
  'own-cookie-in-page':
    'The page holds the value of a cookie that came with it, so it belongs to that session. An address or a form has it in it.',
  'vary-star': 'The response says Vary: *, so no other request can match it (RFC 9111 §4.1).',
  'no-lifetime': 'Nothing gives this response a lifetime, and it has no validator to check it by.',
  stream: 'The response is a stream, which comes piece by piece and has no lifetime of its own.',
  'too-large': 'The response is larger than the largest size that is stored.',
  truncated: 'The origin ended the response before it was complete (RFC 9111 §3.3).',
  'purged-meanwhile': 'The address was purged while this answer was under way, so it may be older than the change.',
  encoded: 'The response uses a content coding that cannot be decoded here.',
} as const
export type NotStoredReason = keyof typeof NOT_STORED

/** Why a stored response could not simply be used. */
export const MISSED = {
  'uri-miss': 'Nothing is stored for this address.',
  'vary-miss': 'Something is stored for this address, but not for a request with these fields (RFC 9111 §4.1).',
  stale: 'What is stored has outlived its lifetime.',
  request: 'The request asks for a newer answer than the one that is stored (RFC 9111 §5.2.1).',
} as const
export type MissReason = keyof typeof MISSED
