import packet, { type Answer, type Packet, type Question } from 'dns-packet'
import type { ZoneRecord } from '../../core/formats/zone-file.ts'

const bare = (name: string): string => name.toLowerCase().replace(/\.$/, '')
/** The pieces of a text record, without their quotes. */
const texts = (data: string): string[] => [...data.matchAll(/"((?:[^"\\]|\\.)*)"/g)].map(([, text]) => text ?? '')

/** A record as it goes over the wire; undefined: of a type that the stand-in does not serve. */
const asAnswer = ({ name, ttl, type, data }: ZoneRecord): Answer | undefined => {
  const common = { name: bare(name), ttl: ttl ?? 3600, class: 'IN' } as const
  const words = data.split(/\s+/)
  switch (type) {
    case 'A':
    case 'AAAA':
      return { ...common, type, data }
    case 'CNAME':
    case 'NS':
      return { ...common, type, data: bare(data) }
    case 'MX':
      return { ...common, type, data: { preference: Number(words[0]), exchange: bare(words[1] ?? '') } }
    case 'TXT':
      return { ...common, type, data: texts(data) }
    case 'SOA': {
      const [mname = '', rname = '', ...numbers] = words
      const [serial = 1, refresh = 7200, retry = 600, expire = 3_600_000, minimum = 60] = numbers.map(Number)
      return {
        ...common,
        type,
        data: { mname: bare(mname), rname: bare(rname), serial, refresh, retry, expire, minimum },
      }
    }
    default:
      return undefined
  }
}

/** What the zone says to one question; an alias is followed within the zone (RFC 1034 §4.3.2). */
export const answersTo = (records: readonly ZoneRecord[], question: Pick<Question, 'name' | 'type'>): Answer[] => {
  const at = (name: string): ZoneRecord[] => records.filter((record) => bare(record.name) === name)
  const found: ZoneRecord[] = []
  const seen = new Set<string>()
  for (let name = bare(question.name); !seen.has(name);) {
    seen.add(name)
    const here = at(name)
    found.push(...here.filter(({ type }) => type === question.type))
    const alias = here.find(({ type }) => type === 'CNAME')
    if (alias === undefined || question.type === 'CNAME') break
    found.push(alias)
    name = bare(alias.data)
  }
  return found.flatMap((record) => asAnswer(record) ?? [])
}

/** Answer one message of the DNS; undefined: it cannot be read. */
export const answerMessage = (records: readonly ZoneRecord[], zone: string, message: Buffer): Buffer | undefined => {
  let query: Packet
  try {
    query = packet.decode(message)
  } catch {
    return undefined
  }
  const [question] = query.questions ?? []
  if (question === undefined) return undefined
  const name = bare(question.name)
  const isOurs = name === zone || name.endsWith(`.${zone}`)
  const known = records.some((record) => bare(record.name) === name)
  // RFC 1035 §4.1.1: 0 no error, 3 no such name, 5 refused.
  const rcode = isOurs ? (known ? 0 : 3) : 5
  return packet.encode({
    type: 'response',
    id: query.id ?? 0,
    flags: packet.AUTHORITATIVE_ANSWER | rcode,
    questions: [question],
    answers: isOurs ? answersTo(records, question) : [],
  })
}
