import { fieldValue, listMembers, type Fields } from './fields.ts'

/**
 * Which request fields may be left out when an answer is shared. Browsers, and servers on the way, add fields to every request that change no
 * page. Whatever else there is was put there by a program or a script of the page, and may be what the answer depends on: a key, a sign that only
 * a part of the page is wanted.
 */

/** Sent by browsers and by servers on the way, or settled before this is asked. */
const ORDINARY = new Set([
  'accept',
  'accept-charset',
  'accept-encoding',
  'accept-language',
  'available-dictionary',
  'baggage',
  'cache-control',
  'cdn-loop',
  'connection',
  'content-length',
  'cookie',
  'device-memory',
  'dnt',
  'downlink',
  'dpr',
  'early-data',
  'ect',
  'expect',
  'forwarded',
  'from',
  'front-end-https',
  'host',
  'http2-settings',
  'if-match',
  'if-modified-since',
  'if-none-match',
  'if-range',
  'if-unmodified-since',
  'keep-alive',
  'max-forwards',
  'origin',
  'pragma',
  'priority',
  'proxy-connection',
  'purpose',
  'range',
  'referer',
  'rtt',
  'save-data',
  'service-worker',
  'te',
  'traceparent',
  'tracestate',
  'trailer',
  'transfer-encoding',
  'upgrade-insecure-requests',
  'user-agent',
  'via',
  'viewport-width',
  'width',
  'x-correlation-id',
  'x-purpose',
  'x-real-ip',
  'x-request-id',
  'x-scheme',
])
const ORDINARY_BEGINNINGS = ['sec-', 'x-forwarded-']

/** Fetch Metadata (W3C) of a request that no script can give fields to: a page that is opened, or a file that a page names. */
const isWithoutScript = (fields: Fields): boolean => {
  const mode = fieldValue(fields, 'sec-fetch-mode')
  return mode === 'navigate' || mode === 'no-cors'
}

/**
 * A field of a request that may change its answer, though it is not known to.
 * @param harmless names that by the owner's word change nothing
 * @returns its name; undefined when there is none
 */
export const unknownField = (fields: Fields, harmless: (name: string) => boolean): string | undefined => {
  const unknown = fields.find(
    ([name]) => !ORDINARY.has(name) && !ORDINARY_BEGINNINGS.some((begin) => name.startsWith(begin)) && !harmless(name),
  )
  return unknown === undefined || isWithoutScript(fields) ? undefined : unknown[0]
}

/** What kind of answer a request wants, where one address has several (RFC 9110 §12.5.1). */
export type WantedForm = 'page' | 'data' | 'other'

/** Media ranges that browsers put first when they open pages or load what pages name. */
const OF_PAGES =
  /^(?:\*\/\*|text\/(?:html|css|plain|\*|javascript)|application\/(?:xhtml\+xml|javascript|manifest\+json|signed-exchange)|(?:image|font|audio|video)\/.+)$/i
/** A file by its name has one form only. */
const NAMED_FILE = /\.[a-z][a-z0-9]{0,4}$/i

/** The form that is named first; a file with an ending in its name is what it is, whatever is wanted. */
export const wantedForm = (fields: Fields, path: string): WantedForm => {
  const accept = fieldValue(fields, 'accept')
  if (accept === undefined) return 'page'
  const first = listMembers(accept)[0]?.split(';', 1)[0]?.trim() ?? '*/*'
  if (OF_PAGES.test(first) || NAMED_FILE.test(path)) return 'page'
  return first.toLowerCase() === 'application/json' ? 'data' : 'other'
}
