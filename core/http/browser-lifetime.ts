import { parseDirectives } from './directives.ts'
import { fieldValue, hasField, type Fields } from './fields.ts'
import type { Seconds } from '../time.ts'

/** Kinds of files that browsers keep for different times. */
export const FILE_KINDS = ['page', 'style', 'script', 'image', 'font', 'media', 'other'] as const
export type FileKind = (typeof FILE_KINDS)[number]

const KIND_BY_TYPE: readonly [RegExp, FileKind][] = [
  [/^(text\/html|application\/xhtml\+xml)/, 'page'],
  [/^text\/css/, 'style'],
  [/^(text|application)\/(x-)?(java|ecma)script/, 'script'],
  [/^image\//, 'image'],
  [/^(font\/|application\/(x-)?font|application\/vnd\.ms-fontobject)/, 'font'],
  [/^(audio|video)\//, 'media'],
]

/** Kind of a response by its media type. */
export const fileKind = (contentType: string | undefined): FileKind => {
  const type = (contentType ?? '').trim().toLowerCase()
  return KIND_BY_TYPE.find(([pattern]) => pattern.test(type))?.[1] ?? 'other'
}

/** A year, in seconds: common practice for files whose name changes with their content. */
const FINGERPRINTED_S = 31_536_000

/** Answers a browser may keep under the owner's word; redirects and errors stay as the origin sent them. */
const KEEPABLE = new Set([200, 203, 206, 304])

/**
 * Cache-Control for browsers, when the owner sets a lifetime and the origin says nothing about it. A lifetime given by the
 * origin, and every restriction (no-store, private, no-cache), is left as it is.
 * @param fingerprinted whether the name of the file holds a digest of its content (RFC 8246)
 * @returns undefined to leave the response unchanged
 */
export const browserCacheControl = (
  status: number,
  fields: Fields,
  lifetimes: Readonly<Record<FileKind, Seconds>>,
  fingerprinted = false,
): string | undefined => {
  if (!KEEPABLE.has(status) || hasField(fields, 'set-cookie')) return undefined
  const directives = parseDirectives(fieldValue(fields, 'cache-control'))
  const decided = ['no-store', 'private', 'no-cache', 'max-age', 's-maxage', 'must-revalidate'].some((name) =>
    directives.has(name),
  )
  if (decided || hasField(fields, 'expires')) return undefined
  const kind = fileKind(fieldValue(fields, 'content-type'))
  if (kind === 'other') return undefined
  if (fingerprinted && kind !== 'page') return `max-age=${FINGERPRINTED_S}, immutable`
  const lifetime = lifetimes[kind]
  // A page is checked on each visit, so that a change shows at once; the check is a short 304.
  if (lifetime === 0) return kind === 'page' ? 'no-cache' : undefined
  return `max-age=${lifetime}`
}
