import { INITIAL_WINDOW_SEGMENTS, SEGMENT_BYTES } from '../../core/load/slow-start.ts'
import type { Direction } from './direction.ts'
import type { Scheduler } from './scheduler.ts'

/** Bytes of IP and TCP headers that each segment costs on the link. */
const HEADER_BYTES = 40
/** RFC 6298 §2.4: an idle connection counts as restarted after a retransmission time-out, at least one second. */
const IDLE_RESTART_MS = 1000

/**
 * One direction of one connection, as TCP would send it: no more than the congestion window under way, the window growing by
 * what is acknowledged (slow start, RFC 5681 §3.1, from ten segments, RFC 6928). The simulated link loses nothing, so the
 * window is never cut; the shared bottleneck's queue takes what is sent ahead.
 */
export class Sender {
  readonly #direction: Direction
  readonly #scheduler: Scheduler
  /** Delay of an acknowledgement on its way back, ms. */
  readonly #ackDelayMs: number
  readonly #deliver: (bytes: Buffer) => void
  readonly #wantsMore: () => void
  #queue: Buffer[] = []
  #queued = 0
  #window = INITIAL_WINDOW_SEGMENTS * SEGMENT_BYTES
  #underWay = 0
  #lastSent = 0
  #ended: (() => void) | undefined

  constructor(
    direction: Direction,
    scheduler: Scheduler,
    ackDelayMs: number,
    io: { deliver: (bytes: Buffer) => void; wantsMore: () => void },
  ) {
    this.#direction = direction
    this.#scheduler = scheduler
    this.#ackDelayMs = ackDelayMs
    this.#deliver = io.deliver
    this.#wantsMore = io.wantsMore
  }

  /** Bytes not yet on the link; the source should pause while this is large. */
  get backlog(): number {
    return this.#queued
  }

  push(bytes: Buffer): void {
    this.#queue.push(bytes)
    this.#queued += bytes.length
    this.#pump()
  }

  /** Tell the other end, after everything pushed so far, that nothing more comes. */
  end(arrived: () => void): void {
    this.#ended = arrived
    this.#pump()
  }

  #take(most: number): Buffer {
    const first = this.#queue[0]!
    if (first.length <= most) {
      this.#queue.shift()
      this.#queued -= first.length
      return first
    }
    this.#queue[0] = first.subarray(most)
    this.#queued -= most
    return first.subarray(0, most)
  }

  #pump(): void {
    const now = this.#scheduler.now()
    if (
      this.#underWay === 0 &&
      this.#queued > 0 &&
      this.#lastSent > 0 &&
      now - this.#lastSent > IDLE_RESTART_MS
    )
      // RFC 5681 §4.1: after idling, start again from the restart window.
      this.#window = Math.min(this.#window, INITIAL_WINDOW_SEGMENTS * SEGMENT_BYTES)
    while (this.#queued > 0 && this.#underWay < this.#window) {
      const segment = this.#take(Math.min(SEGMENT_BYTES, this.#window - this.#underWay))
      this.#underWay += segment.length
      this.#lastSent = now
      this.#direction.send(segment.length + HEADER_BYTES, () => this.#arrived(segment))
    }
    if (this.#queued === 0 && this.#ended !== undefined) {
      const arrived = this.#ended
      this.#ended = undefined
      this.#direction.send(HEADER_BYTES, arrived)
    }
  }

  #arrived(segment: Buffer): void {
    this.#deliver(segment)
    this.#scheduler.at(this.#scheduler.now() + this.#ackDelayMs, () => {
      this.#underWay -= segment.length
      this.#window += segment.length
      this.#pump()
      if (this.#queued < SEGMENT_BYTES * 10) this.#wantsMore()
    })
  }
}
