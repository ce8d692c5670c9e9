/** Header fields as an ordered list of lines; names in lower case, repeated lines kept apart. */
export type Fields = readonly (readonly [name: string, value: string])[]

/** All lines of a field, in order. */
export const fieldLines = (fields: Fields, name: string): string[] =>
  fields.filter(([have]) => have === name).map(([, value]) => value)

/**
 * The combined value of a field: its lines joined by a comma (RFC 9110 §5.2), or undefined when absent.
 * Not for Set-Cookie, whose lines cannot be joined (RFC 9110 §5.3).
 */
export const fieldValue = (fields: Fields, name: string): string | undefined => {
  // A loop: this runs many times for every request.
  let value: string | undefined
  for (const [have, line] of fields) if (have === name) value = value === undefined ? line : `${value}, ${line}`
  return value
}

export const hasField = (fields: Fields, name: string): boolean => fields.some(([have]) => have === name)

/** The same fields without the named ones. */
export const withoutFields = (fields: Fields, names: ReadonlySet<string>): Fields =>
  fields.filter(([name]) => !names.has(name))

/** The same fields with one set to exactly one line. */
export const withField = (fields: Fields, name: string, value: string): Fields => [
  ...fields.filter(([have]) => have !== name),
  [name, value],
]

/** From Node's flat `rawHeaders` array: name, value, name, value, … */
export const fieldsFromRaw = (raw: readonly string[]): Fields => {
  const fields: [string, string][] = []
  for (let i = 0; i + 1 < raw.length; i += 2) fields.push([raw[i]!.toLowerCase(), raw[i + 1]!])
  return fields
}

/**
 * Members of a comma-separated list, OWS trimmed, empty members dropped (RFC 9110 §5.6.1). Commas inside
 * quoted strings do not separate.
 */
export const listMembers = (value: string): string[] => {
  const members: string[] = []
  let member = ''
  let quoted = false
  for (let i = 0; i < value.length; i++) {
    const char = value[i]!
    if (quoted && char === '\\') member += char + (value[++i] ?? '')
    else if (char === ',' && !quoted) {
      members.push(member)
      member = ''
    } else {
      if (char === '"') quoted = !quoted
      member += char
    }
  }
  members.push(member)
  return members.map((text) => text.trim()).filter((text) => text !== '')
}

/** RFC 9110 §7.6.1 and RFC 9111 §3.1: fields for one connection only, never forwarded, never stored. */
const HOP_BY_HOP = [
  'connection',
  'http2-settings',
  'keep-alive',
  'proxy-authenticate',
  'proxy-authentication-info',
  'proxy-authorization',
  'proxy-connection',
  'te',
  'trailer',
  'transfer-encoding',
  'upgrade',
]

/**
 * Fields that say where a message ends (RFC 9112 §6). Whoever sends a message writes its own: those of the message before never go along, or two
 * servers could disagree about where one request ends and the next begins.
 */
export const FRAMING: ReadonlySet<string> = new Set(['content-length', 'transfer-encoding'])

/**
 * Fields that Connection cannot take away although it names them: they are for every recipient (RFC 9110 §7.6.1 forbids to nominate such), and
 * leaving one out would turn the message into another.
 */
const NOT_NOMINATED = new Set([
  'authorization',
  'cache-control',
  'content-encoding',
  'content-length',
  'content-range',
  'content-type',
  'cookie',
  'date',
  'etag',
  'expires',
  'host',
  'last-modified',
  'location',
  'set-cookie',
  'vary',
  'via',
])

/** Fields fit to be forwarded: hop-by-hop fields and those nominated by Connection removed (RFC 9110 §7.6.1). */
export const endToEndFields = (fields: Fields): Fields => {
  const nominated = listMembers(fieldValue(fields, 'connection') ?? '')
    .map((name) => name.toLowerCase())
    .filter((name) => !NOT_NOMINATED.has(name))
  return withoutFields(fields, new Set([...HOP_BY_HOP, ...nominated]))
}
