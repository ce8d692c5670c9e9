import { INITIAL_WINDOW_SEGMENTS, SEGMENT_BYTES } from './slow-start.ts'
import type { Bottleneck } from './bottleneck.ts'
import type { Scheduler } from './scheduler.ts'

/** Bytes of IP and TCP headers that each segment costs on the link. */
export const HEADER_BYTES = 40
/** RFC 6298 §2.4: an idle connection counts as restarted after a retransmission time-out, at least one second. */
const IDLE_RESTART_MS = 1000

/** Where a flow takes its bytes from: buffers when measuring, mere sizes when predicting. */
export interface FlowSource<T extends { readonly length: number }> {
  /** Bytes that could be sent now. */
  readonly waiting: number
  /** The next bytes, at most so many and at least one. */
  take(most: number): T
}

interface Segment<T> {
  readonly bytes: T
  arrived: boolean
}

/**
 * One direction of one connection, as TCP would send it: no more than the congestion window under way; the window grows by
 * what is acknowledged (slow start, RFC 5681 §3.1, from ten segments, RFC 6928), and after a loss is halved and grows by a
 * segment a round trip (congestion avoidance, fast retransmit and recovery, §3.1, §3.2). The bottleneck's queue takes what is
 * sent ahead. Bytes are delivered in order: what follows a lost segment waits for it.
 */
export class Flow<T extends { readonly length: number }> {
  readonly #bottleneck: Bottleneck
  readonly #scheduler: Scheduler
  readonly #delayMs: number
  readonly #source: FlowSource<T>
  readonly #deliver: (bytes: T) => void
  readonly #grain: 'segments' | 'coarse'
  #window = INITIAL_WINDOW_SEGMENTS * SEGMENT_BYTES
  #threshold = Number.POSITIVE_INFINITY
  #underWay = 0
  #lastSent = 0
  #sentSoFar = 0
  /** Segments before this count belong to the window in which a loss was answered already. */
  #recoverUntil = 0
  /** In the order sent; the first ones leave it as they are delivered. */
  readonly #unDelivered: Segment<T>[] = []

  /**
   * @param delayMs propagation one way, the same for the acknowledgement on its way back
   * @param grain coarse: several segments at a time once the window is large, which is quicker to reckon and as good for whole files
   */
  constructor(
    bottleneck: Bottleneck,
    scheduler: Scheduler,
    delayMs: number,
    source: FlowSource<T>,
    deliver: (bytes: T) => void,
    grain: 'segments' | 'coarse' = 'segments',
  ) {
    this.#grain = grain
    this.#bottleneck = bottleneck
    this.#scheduler = scheduler
    this.#delayMs = delayMs
    this.#source = source
    this.#deliver = deliver
  }

  /** Congestion window, bytes. */
  get window(): number {
    return this.#window
  }

  /** Send what the source has and the window allows; to be called whenever the source has got more. */
  pump(): void {
    const now = this.#scheduler.now()
    const idle = this.#underWay === 0 && this.#lastSent > 0 && now - this.#lastSent > IDLE_RESTART_MS
    // RFC 5681 §4.1: after idling, start again from the restart window.
    if (idle && this.#source.waiting > 0) this.#window = Math.min(this.#window, INITIAL_WINDOW_SEGMENTS * SEGMENT_BYTES)
    for (;;) {
      const room = Math.floor(this.#window - this.#underWay)
      // Whole segments, or all that is left: a sender does not send crumbs (RFC 9293 §3.8.6.2.1).
      const least = Math.min(SEGMENT_BYTES, this.#source.waiting)
      if (this.#source.waiting <= 0 || (room < least && this.#underWay > 0)) return
      const bytes = this.#source.take(Math.max(1, Math.min(this.#most(), Math.max(room, least))))
      const segment = { bytes, arrived: false }
      this.#unDelivered.push(segment)
      this.#underWay += bytes.length
      this.#send(segment, this.#sentSoFar++)
    }
  }

  /** A thirty-second part of the window at a time, in whole segments, changes no transfer by more than that. */
  #most(): number {
    if (this.#grain === 'segments') return SEGMENT_BYTES
    return SEGMENT_BYTES * Math.max(1, Math.floor(this.#window / (32 * SEGMENT_BYTES)))
  }

  #send(segment: Segment<T>, number: number): void {
    this.#lastSent = this.#scheduler.now()
    const headers = Math.ceil(segment.bytes.length / SEGMENT_BYTES) * HEADER_BYTES
    this.#bottleneck.send(segment.bytes.length + headers, this.#delayMs, (lost) =>
      lost ? this.#missing(segment, number) : this.#arrived(segment),
    )
  }

  #arrived(segment: Segment<T>): void {
    segment.arrived = true
    while (this.#unDelivered[0]?.arrived === true) this.#deliver(this.#unDelivered.shift()!.bytes)
    this.#scheduler.at(this.#scheduler.now() + this.#delayMs, () => {
      const { length } = segment.bytes
      this.#underWay -= length
      this.#window += this.#window < this.#threshold ? length : (SEGMENT_BYTES * length) / this.#window
      this.pump()
    })
  }

  /** The sender learns from the acknowledgements of later segments, which come when this one's would have. */
  #missing(segment: Segment<T>, number: number): void {
    this.#scheduler.at(this.#scheduler.now() + this.#delayMs, () => {
      if (number >= this.#recoverUntil) {
        this.#threshold = Math.max(this.#underWay / 2, 2 * SEGMENT_BYTES)
        this.#window = this.#threshold
        this.#recoverUntil = this.#sentSoFar
      }
      this.#send(segment, this.#sentSoFar)
    })
  }
}
