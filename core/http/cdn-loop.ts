import { fieldValue, listMembers, type Fields } from './fields.ts'
import { upTo } from './up-to.ts'

/** What this kind of cache calls itself in CDN-Loop (RFC 8586 §2: a pseudonym). */
const CDN_ID = 'zest-lamp'

/** Whose request came through us before, by what CDN-Loop says (RFC 8586): no cache on the way may change or remove it. */
export type LoopFound =
  | { readonly kind: 'none' }
  /** It came through another delivery of this kind. */
  | { readonly kind: 'through-another' }
  /** It came through this one. */
  | { readonly kind: 'here' }

const memberOf = (instance: string): string => `${CDN_ID}; by="${instance}"`

/** Look for ourselves in CDN-Loop. @param instance name of this process */
export const findLoop = (fields: Fields, instance: string): LoopFound => {
  const value = fieldValue(fields, 'cdn-loop')
  if (value === undefined) return { kind: 'none' }
  const own = listMembers(value).filter((member) => upTo(member, ';').trim().toLowerCase() === CDN_ID)
  if (own.length === 0) return { kind: 'none' }
  return own.some((member) => member.includes(`"${instance}"`)) ? { kind: 'here' } : { kind: 'through-another' }
}

/** CDN-Loop for a request that is sent on. @param before what the request came with; left out for one that many visitors share */
export const cdnLoop = (instance: string, before?: Fields): string => {
  const value = before === undefined ? undefined : fieldValue(before, 'cdn-loop')
  return value === undefined ? memberOf(instance) : `${value}, ${memberOf(instance)}`
}
