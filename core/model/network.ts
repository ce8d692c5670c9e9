import { Bottleneck } from './transport/bottleneck.ts'
import { Flow, HEADER_BYTES, type FlowSource } from './transport/flow.ts'
import type { SteppedScheduler } from './transport/scheduler.ts'
import type { PredictedVisitor, RecordedResource } from './recording.ts'

/** Connections a browser opens to a host that speaks HTTP/1.1 (RFC 9112 §9.4 leaves the number to it; common practice: six). */
const CONNECTIONS_PER_ORIGIN = 6
/** What a request weighs on its way up, cookies left out. */
const REQUEST_BYTES = 500
/** Certificates and the rest of the server's first flight of TLS 1.3. */
const TLS_FLIGHT_BYTES = 3000

/** Bytes on their way, and whose they are. */
interface Chunk {
  readonly length: number
  readonly stream: Stream
}

interface Stream {
  readonly resource: RecordedResource
  /** Bytes the server still has to send. */
  toSend: number
  arrived: number
  readonly onSent: () => void
  readonly onBytes: (share: number) => void
  readonly onEnd: () => void
}

/** What a server's socket takes ahead of the link; what is in it keeps its order (Linux: tcp_wmem, automatic tuning). */
const SOCKET_BYTES = 256 * 1024

/**
 * What is behind a connection: answers that wait to be sent. Over HTTP/1.1 there is one at a time. Over HTTP/2 servers commonly
 * send the more urgent first (RFC 9113 §5.3, RFC 9218), but only among what their socket has not taken yet.
 */
class Answers implements FlowSource<Chunk> {
  readonly #streams: Stream[] = []
  readonly #socket: Chunk[] = []
  #inSocket = 0
  #waiting = 0

  get waiting(): number {
    return this.#waiting
  }

  add(stream: Stream): void {
    const after = this.#streams.findLastIndex(({ resource }) => resource.urgency >= stream.resource.urgency)
    this.#streams.splice(after + 1, 0, stream)
    this.#waiting += stream.toSend
    this.#handOver()
  }

  #handOver(): void {
    while (this.#inSocket < SOCKET_BYTES && this.#streams[0] !== undefined) {
      const stream = this.#streams[0]
      const length = Math.min(SOCKET_BYTES - this.#inSocket, stream.toSend)
      stream.toSend -= length
      this.#inSocket += length
      this.#socket.push({ length, stream })
      if (stream.toSend === 0) this.#streams.shift()
    }
  }

  take(most: number): Chunk {
    const first = this.#socket[0]!
    const length = Math.min(most, first.length)
    if (length === first.length) this.#socket.shift()
    else this.#socket[0] = { length: first.length - length, stream: first.stream }
    this.#inSocket -= length
    this.#waiting -= length
    this.#handOver()
    return { length, stream: first.stream }
  }
}

/** One connection: its handshakes, and then requests, one after the other or all at once. */
class Connection {
  readonly #network: Network
  readonly #oneWayMs: number
  readonly #answers = new Answers()
  readonly #down: Flow<Chunk>
  /** Requests under way. */
  busy = 0
  #openAt: number | undefined

  constructor(network: Network, roundTripMs: number, deliver: (chunk: Chunk) => void) {
    this.#network = network
    this.#oneWayMs = roundTripMs / 2
    this.#down = new Flow(network.down, network.time, this.#oneWayMs, this.#answers, deliver, 'coarse')
  }

  /** Round trips for the name, for TCP and for TLS 1.3 (RFC 8446 §2), then what waits is sent. */
  open(lookupMs: number, secure: boolean): void {
    const { time, down } = this.#network
    const tcpAt = time.now() + lookupMs + 2 * this.#oneWayMs
    if (!secure) {
      this.#openAt = tcpAt
      return
    }
    this.#openAt = Number.POSITIVE_INFINITY
    time.at(tcpAt + this.#oneWayMs, () =>
      down.send(TLS_FLIGHT_BYTES, this.#oneWayMs, () => {
        this.#openAt = time.now()
        for (const send of this.#pending.splice(0)) send()
      }),
    )
  }

  readonly #pending: (() => void)[] = []

  send(stream: Stream, serverMs: number): void {
    this.busy++
    const { time, up } = this.#network
    const begin = (): void => {
      stream.onSent()
      up.send(REQUEST_BYTES + HEADER_BYTES, this.#oneWayMs, () =>
        time.at(time.now() + serverMs, () => {
          this.#answers.add(stream)
          this.#down.pump()
        }),
      )
    }
    if (this.#openAt === Number.POSITIVE_INFINITY) this.#pending.push(begin)
    else time.at(Math.max(time.now(), this.#openAt ?? 0), begin)
  }
}

/**
 * What Chromium holds back (seen in recordings of version 156). Until the parser has reached the body, at most two requests below
 * High are under way; over HTTP/1.1, at most ten below Medium ever, and one while more than one above is under way.
 */
const HIGH = 3
const MEDIUM = 2
const MOST_BEFORE_BODY = 2
const MOST_DELAYABLE = 10
const URGENT_THAT_HOLD_BACK = 1
const DELAYABLE_MEANWHILE = 1

/**
 * What a browser's network does with what a page asks for: six connections a host or one multiplexed, urgent before others, all
 * of them through one shared link.
 */
export class Network {
  readonly time: SteppedScheduler
  readonly down: Bottleneck
  readonly up: Bottleneck
  readonly #visitor: PredictedVisitor
  readonly #connections = new Map<string, Connection[]>()
  readonly #names = new Set<string>()
  /** Waiting to be sent, the more urgent first. */
  readonly #queue: Stream[] = []
  /** Requests under way by urgency, least urgent first. */
  readonly #underWay = [0, 0, 0, 0, 0]
  #bodyReached = false

  constructor(time: SteppedScheduler, visitor: PredictedVisitor) {
    this.time = time
    this.#visitor = visitor
    this.down = new Bottleneck({ bytesPerMs: visitor.downBitsPerS / 8000 }, time)
    this.up = new Bottleneck({ bytesPerMs: visitor.upBitsPerS / 8000 }, time)
  }

  /** @param on told when the request goes out, which share of the bytes has come, and after the last one */
  fetch(resource: RecordedResource, on: Pick<Stream, 'onSent' | 'onBytes' | 'onEnd'>): void {
    const stream = { resource, toSend: Math.max(1, resource.sentBytes), arrived: 0, ...on }
    const after = this.#queue.findLastIndex((other) => other.resource.urgency >= resource.urgency)
    this.#queue.splice(after + 1, 0, stream)
    this.#start()
  }

  /** The parser has come to the body: pictures need not wait for the head any more. */
  bodyReached(): void {
    if (this.#bodyReached) return
    this.#bodyReached = true
    this.#start()
  }

  #under(urgency: number): number {
    return this.#underWay.slice(0, urgency).reduce((sum, count) => sum + count, 0)
  }

  #mayStart({ urgency, multiplexed }: RecordedResource): boolean {
    if (urgency >= HIGH) return true
    if (!this.#bodyReached && this.#under(HIGH) >= MOST_BEFORE_BODY) return false
    if (urgency >= MEDIUM || multiplexed) return true
    const delayable = this.#under(MEDIUM)
    if (delayable >= MOST_DELAYABLE) return false
    const above = this.#under(5) - delayable
    return !(above > URGENT_THAT_HOLD_BACK && delayable >= DELAYABLE_MEANWHILE)
  }

  #start(): void {
    for (let index = 0; index < this.#queue.length;) {
      const stream = this.#queue[index]!
      const connection = this.#mayStart(stream.resource) ? this.#connectionFor(stream.resource) : undefined
      if (connection === undefined) {
        index++
        continue
      }
      this.#queue.splice(index, 1)
      this.#underWay[stream.resource.urgency]!++
      connection.send(stream, stream.resource.serverMs)
    }
  }

  #connectionFor({ origin, hostname, secure, multiplexed }: RecordedResource): Connection | undefined {
    const open = this.#connections.get(origin) ?? []
    if (multiplexed && open[0] !== undefined) return open[0]
    const free = open.find(({ busy }) => busy === 0)
    if (free !== undefined) return free
    if (open.length >= CONNECTIONS_PER_ORIGIN) return undefined
    const roundTripMs = this.#visitor.roundTripsByHost?.[hostname] ?? this.#visitor.roundTripMs
    const lookupMs = this.#names.has(hostname) ? 0 : this.#visitor.roundTripMs
    this.#names.add(hostname)
    const connection: Connection = new Connection(this, roundTripMs, (chunk) => this.#arrived(connection, chunk))
    connection.open(lookupMs, secure)
    this.#connections.set(origin, [...open, connection])
    return connection
  }

  #arrived(connection: Connection, { length, stream }: Chunk): void {
    stream.arrived += length
    const whole = Math.max(1, stream.resource.sentBytes)
    stream.onBytes(stream.arrived / whole)
    if (stream.arrived < whole) return
    connection.busy--
    this.#underWay[stream.resource.urgency]!--
    stream.onEnd()
    this.#start()
  }
}
