import { createSocket } from 'node:dgram'
import { connect, isIPv6 } from 'node:net'
import packet, { type Answer, type RecordType } from 'dns-packet'
import type { DnsRecord } from '../../core/contracts/going-live.ts'

export interface NameServer {
  readonly address: string
  readonly port: number
}

/** Types that are asked for. */
export type AskedType = Extract<RecordType, 'A' | 'AAAA' | 'CNAME' | 'MX' | 'TXT' | 'NS' | 'CAA' | 'SOA' | 'SRV' | 'DS'>

const TIMEOUT_MS = 3000
const MOST_BYTES = 65_535

/** A name server gave no answer that can be used. */
export class NoDnsAnswer extends Error {}

/** Text as it stands in a zone file (RFC 1035 §5.1): printable characters, others by their number. */
const quoted = (bytes: Uint8Array): string =>
  `"${[...bytes]
    .map((byte) => {
      const char = String.fromCharCode(byte)
      if (char === '"' || char === '\\') return `\\${char}`
      return byte >= 32 && byte < 127 ? char : `\\${String(byte).padStart(3, '0')}`
    })
    .join('')}"`

const bytesOf = (value: string | Buffer): Uint8Array => (typeof value === 'string' ? Buffer.from(value) : value)
const dotted = (name: string): string => `${name.toLowerCase().replace(/\.$/, '')}.`

/** Data as it stands in a zone file. @returns undefined: a kind that is not read here */
const dataOf = (answer: Answer): string | undefined => {
  switch (answer.type) {
    case 'A':
    case 'AAAA':
      return answer.data
    case 'CNAME':
    case 'NS':
      return dotted(answer.data)
    case 'MX':
      return `${answer.data.preference ?? 0} ${dotted(answer.data.exchange)}`
    case 'TXT':
      return (Array.isArray(answer.data) ? answer.data : [answer.data]).map((one) => quoted(bytesOf(one))).join(' ')
    case 'CAA':
      return `${answer.data.flags ?? 0} ${answer.data.tag} ${quoted(Buffer.from(answer.data.value))}`
    case 'SRV': {
      const { priority = 0, weight = 0, port, target } = answer.data
      return `${priority} ${weight} ${port} ${dotted(target)}`
    }
    case 'SOA': {
      const { mname, rname, serial = 0, refresh = 0, retry = 0, expire = 0, minimum = 0 } = answer.data
      return `${dotted(mname)} ${dotted(rname)} ${serial} ${refresh} ${retry} ${expire} ${minimum}`
    }
    default:
      return undefined
  }
}

/** Packets are lost now and then, which tells nothing of a server. */
const overUdpTwice = (server: NameServer, query: Buffer, timeoutMs: number): Promise<Buffer> =>
  overUdp(server, query, timeoutMs).catch(() => overUdp(server, query, timeoutMs))

const overUdp = (server: NameServer, query: Buffer, timeoutMs: number): Promise<Buffer> =>
  new Promise((resolve, reject) => {
    const socket = createSocket(isIPv6(server.address) ? 'udp6' : 'udp4')
    const end = (act: () => void): void => {
      clearTimeout(timer)
      socket.close()
      act()
    }
    const timer = setTimeout(() => end(() => reject(new NoDnsAnswer('no answer in time'))), timeoutMs)
    // Only who was asked may answer.
    socket.connect(server.port, server.address, () => socket.send(query))
    socket.once('error', (error) => end(() => reject(new NoDnsAnswer(error.message))))
    socket.on('message', (bytes) => {
      // Anything may come, also less than a number.
      if (bytes.length > 2 && bytes.readUInt16BE(0) === query.readUInt16BE(0)) end(() => resolve(bytes))
    })
  })

/** What does not fit a packet comes over TCP (RFC 1035 §4.2.2). */
const overTcp = (server: NameServer, query: Buffer, timeoutMs: number): Promise<Buffer> =>
  new Promise((resolve, reject) => {
    const length = Buffer.alloc(2)
    length.writeUInt16BE(query.length)
    const socket = connect(server.port, server.address, () => socket.write(Buffer.concat([length, query])))
    socket.setTimeout(timeoutMs, () => socket.destroy(new NoDnsAnswer('no answer in time')))
    let got = Buffer.alloc(0)
    socket.on('data', (piece: Buffer) => {
      got = Buffer.concat([got, piece])
      const whole = got.length < 2 ? MOST_BYTES : got.readUInt16BE(0)
      if (got.length < whole + 2) return
      socket.destroy()
      resolve(got.subarray(2, whole + 2))
    })
    socket.on('error', (error) => reject(error instanceof NoDnsAnswer ? error : new NoDnsAnswer(error.message)))
    socket.on('close', () => reject(new NoDnsAnswer('the connection ended')))
  })

const decode = (bytes: Buffer): packet.DecodedPacket => {
  try {
    return packet.decode(bytes)
  } catch {
    throw new NoDnsAnswer('what came is no answer of a name server')
  }
}

/**
 * Ask one name server for records of one name.
 * @param timeoutMs longest wait for an answer, each of the two times
 * @returns none where there are none
 * @throws NoDnsAnswer
 */
export const askNameServer = async (
  server: NameServer,
  name: string,
  type: AskedType,
  timeoutMs = TIMEOUT_MS,
): Promise<DnsRecord[]> => {
  const id = Math.floor(Math.random() * 65_536)
  const questions = [{ type, name: name.replace(/\.$/, '') }]
  const query = packet.encode({ type: 'query', id, flags: packet.RECURSION_DESIRED, questions })
  let answer = decode(await overUdpTwice(server, query, timeoutMs))
  if (answer.flag_tc) answer = decode(await overTcp(server, query, timeoutMs))
  const rcode = (answer as { rcode?: string }).rcode ?? 'NOERROR'
  if (rcode !== 'NOERROR' && rcode !== 'NXDOMAIN') throw new NoDnsAnswer(`it answers ${rcode}`)
  return (answer.answers ?? []).flatMap((one) => {
    const data = dataOf(one)
    const ttl = 'ttl' in one ? (one.ttl ?? 0) : 0
    return data === undefined ? [] : [{ name: dotted(one.name), ttl, type: one.type, data }]
  })
}
