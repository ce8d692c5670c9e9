import { LIFETIME_FIELDS, sharedDirectives } from '../http/cdn-cache-control.ts'
import { hasField, withoutFields, type Fields } from '../http/fields.ts'
import { isHtml } from '../http/freshness.ts'

/**
 * Fields of an answer to one visitor, as a copy for that visitor alone reads them: `private` allows it (RFC 9111 §5.2.2.7), and a
 * page that is only marked to be checked each time gets the owner's short lifetime. no-store stays a ban, and so does a cookie: it may
 * replace the very session the copy is filed under.
 */
export const privatelyRead = (fields: Fields): Fields => {
  const { directives } = sharedDirectives(fields)
  if (directives.has('no-store') || hasField(fields, 'set-cookie') || !isHtml(fields)) return fields
  return withoutFields(fields, LIFETIME_FIELDS)
}
