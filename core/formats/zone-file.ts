/** One record of a zone. */
export interface ZoneRecord {
  /** Whole name, in lower case, with its dot at the end. */
  readonly name: string
  /** Seconds. */
  readonly ttl: number
  readonly type: string
  /** As it stands in a zone file; names in it are whole. */
  readonly data: string
}

/** Something in a zone file that cannot be read. */
export interface ZoneProblem {
  /** From 1. */
  readonly line: number
  readonly sentence: string
}

export interface Zone {
  readonly records: readonly ZoneRecord[]
  readonly problems: readonly ZoneProblem[]
}

/** Larger files are no zone of one site. */
export const MOST_ZONE_BYTES = 2_000_000
export const MOST_ZONE_RECORDS = 10_000
const MOST_PROBLEMS = 50
/** Where neither the record nor $TTL says anything. */
const DEFAULT_TTL_S = 3600
const LONGEST_TTL_S = 2 ** 31 - 1
const MOST_NAME_BYTES = 255

const UNITS: Readonly<Record<string, number>> = { s: 1, m: 60, h: 3600, d: 86_400, w: 604_800 }
const CLASSES = new Set(['IN', 'CH', 'HS', 'CS'])
/** Words of the data that are names, by type (RFC 1035 §3.3, RFC 2782). */
const NAMES_IN_DATA: Readonly<Record<string, readonly number[]>> = {
  NS: [0],
  CNAME: [0],
  PTR: [0],
  DNAME: [0],
  MX: [1],
  SRV: [3],
  SOA: [0, 1],
}

interface Token {
  readonly text: string
  readonly quoted: boolean
}
interface Entry {
  readonly line: number
  readonly tokens: readonly Token[]
  /** The line begins with a blank: the name is that of the record before. */
  readonly sameName: boolean
}

/** Seconds, in digits or with units. @returns undefined: it is no time */
const ttlOf = (text: string): number | undefined => {
  if (/^\d{1,10}$/.test(text)) return Math.min(LONGEST_TTL_S, Number(text))
  if (!/^(?:\d{1,6}[smhdw])+$/i.test(text)) return undefined
  let sum = 0
  for (const [, digits = '0', unit = 's'] of text.matchAll(/(\d+)([smhdw])/gi))
    sum += Number(digits) * (UNITS[unit.toLowerCase()] ?? 1)
  return Math.min(LONGEST_TTL_S, sum)
}

/** Entries of a zone file (RFC 1035 §5.1): lines, or several of them between parentheses. */
const entriesOf = (text: string, problem: (line: number, sentence: string) => void): Entry[] => {
  const entries: Entry[] = []
  let tokens: Token[] = []
  let [line, first, depth] = [1, 1, 0]
  let sameName = false
  let atStart = true
  const end = (): void => {
    if (tokens.length > 0) entries.push({ line: first, tokens, sameName })
    tokens = []
  }
  for (let at = 0; at < text.length;) {
    const char = text[at]
    if (char === '\n') {
      if (depth === 0) {
        end()
        atStart = true
      }
      line++
      at++
      continue
    }
    if (atStart) {
      first = line
      sameName = char === ' ' || char === '\t'
      atStart = false
    }
    if (char === ';') while (at < text.length && text[at] !== '\n') at++
    else if (char === '(' || char === ')') {
      depth += char === '(' ? 1 : -1
      if (depth < 0) {
        problem(line, 'A parenthesis is closed that was not opened.')
        depth = 0
      }
      at++
    } else if (char === '"') {
      const begin = at++
      while (at < text.length && text[at] !== '"' && text[at] !== '\n') at += text[at] === '\\' ? 2 : 1
      if (text[at] !== '"') problem(line, 'A quotation mark is opened and not closed.')
      else at++
      tokens.push({ text: text.slice(begin, at), quoted: true })
    } else if (/\s/.test(char ?? '')) at++
    else {
      const begin = at
      while (at < text.length && !/[\s;()"]/.test(text[at] ?? '')) at += text[at] === '\\' ? 2 : 1
      tokens.push({ text: text.slice(begin, at), quoted: false })
    }
  }
  if (depth > 0) problem(first, 'A parenthesis is opened and not closed.')
  end()
  return entries
}

/** A whole name. @param origin with its dot at the end. @returns undefined: it is no name */
export const wholeName = (text: string, origin: string): string | undefined => {
  const name = (
    text === '@' ? origin : text.endsWith('.') ? text : `${text}.${origin === '.' ? '' : origin}`
  ).toLowerCase()
  if (name === '.') return name
  const labels = name.slice(0, -1).split('.')
  const fits = name.length <= MOST_NAME_BYTES && labels.every((label) => label.length > 0 && label.length <= 63)
  return fits && /^[\x21-\x7e]+$/.test(name) ? name : undefined
}

/** Read a zone file (RFC 1035 §5; $TTL of RFC 2308 §4). What cannot be read is told with its line, and everything else is there. @param origin name of the zone */
export const parseZone = (text: string, origin: string): Zone => {
  const problems: ZoneProblem[] = []
  const problem = (line: number, sentence: string): void => {
    if (problems.length < MOST_PROBLEMS) problems.push({ line, sentence })
  }
  if (text.length > MOST_ZONE_BYTES) {
    problem(
      1,
      `The file is larger than ${MOST_ZONE_BYTES / 1_000_000} MB. Leave out what does not belong to this site.`,
    )
    return { records: [], problems }
  }
  const records: ZoneRecord[] = []
  let under = wholeName(origin.endsWith('.') ? origin : `${origin}.`, '.') ?? '.'
  let usual = DEFAULT_TTL_S
  let last: string | undefined
  for (const { line, tokens, sameName } of entriesOf(text.replaceAll('\r\n', '\n'), problem)) {
    const words = tokens.map((token) => token.text)
    const [directive, value = ''] = words
    if (directive?.startsWith('$') === true) {
      if (/^\$TTL$/i.test(directive)) usual = ttlOf(value) ?? usual
      else if (/^\$ORIGIN$/i.test(directive)) under = wholeName(value, under) ?? under
      else problem(line, `${directive} is not read here. Give a file with everything in it.`)
      continue
    }
    if (records.length >= MOST_ZONE_RECORDS) {
      problem(line, `There are more than ${MOST_ZONE_RECORDS} records; those from here on are left out.`)
      break
    }
    const rest = sameName ? words : words.slice(1)
    const name = sameName ? last : wholeName(words[0] ?? '', under)
    if (name === undefined) {
      problem(line, sameName ? 'The first record has no name.' : `“${words[0]}” is no name.`)
      continue
    }
    last = name
    let ttl: number | undefined
    // Time and class come in either order.
    for (let step = 0; step < 2; step++) {
      const word = rest[0] ?? ''
      if (CLASSES.has(word.toUpperCase())) rest.shift()
      else if (ttl === undefined && ttlOf(word) !== undefined) {
        ttl = ttlOf(word)
        rest.shift()
      }
    }
    const type = rest.shift()?.toUpperCase() ?? ''
    if (!/^[A-Z][A-Z0-9-]*$/.test(type) || rest.length === 0) {
      problem(line, `A record needs a type and data: “${words.join(' ').slice(0, 60)}”.`)
      continue
    }
    const places = NAMES_IN_DATA[type] ?? []
    const data = rest.map((word, at) => (places.includes(at) ? wholeName(word, under) : word))
    if (data.includes(undefined)) problem(line, `“${rest.join(' ').slice(0, 60)}” is no name.`)
    else records.push({ name, ttl: ttl ?? usual, type, data: data.join(' ') })
  }
  return { records, problems }
}

/** A zone file that any name server reads: whole names, one record a line, the start of authority first. */
export const writeZone = (records: readonly ZoneRecord[], origin: string): string => {
  const first = records.filter(({ type }) => type === 'SOA')
  const others = records.filter(({ type }) => type !== 'SOA')
  const lines = [...first, ...others].map(({ name, ttl, type, data }) => `${name}\t${ttl}\tIN\t${type}\t${data}`)
  return [`$ORIGIN ${origin.endsWith('.') ? origin : `${origin}.`}`, ...lines, ''].join('\n')
}
