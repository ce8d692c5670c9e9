import type { Bottleneck } from '../../core/model/transport/bottleneck.ts'
import { Flow, HEADER_BYTES, type FlowSource } from '../../core/model/transport/flow.ts'
import type { Scheduler } from '../../core/model/transport/scheduler.ts'

/** One direction of one connection with the bytes it carries; when they arrive is for Flow to say. */
export class Sender implements FlowSource<Buffer> {
  readonly #bottleneck: Bottleneck
  readonly #delayMs: number
  readonly #flow: Flow<Buffer>
  readonly #queue: Buffer[] = []
  #waiting = 0
  #undelivered = 0
  #ended: (() => void) | undefined

  /** @param delayMs propagation one way */
  constructor(
    bottleneck: Bottleneck,
    scheduler: Scheduler,
    delayMs: number,
    io: { deliver: (bytes: Buffer) => void; wantsMore: () => void },
  ) {
    this.#bottleneck = bottleneck
    this.#delayMs = delayMs
    this.#flow = new Flow(bottleneck, scheduler, delayMs, this, (bytes) => {
      this.#undelivered -= bytes.length
      io.deliver(bytes)
      if (!this.isFull) io.wantsMore()
      this.#finish()
    })
  }

  get waiting(): number {
    return this.#waiting
  }

  /**
   * Whether more would only lie about: a server's socket takes about twice the window (Linux: tcp_wmem, automatic tuning), one of
   * them under way. What is not taken from the server yet it can still put into another order.
   */
  get isFull(): boolean {
    return this.#waiting > this.#flow.window
  }

  push(bytes: Buffer): void {
    this.#queue.push(bytes)
    this.#waiting += bytes.length
    this.#undelivered += bytes.length
    this.#flow.pump()
  }

  /** Tell the other end, after everything pushed so far, that nothing more comes. */
  end(arrived: () => void): void {
    if (this.#undelivered === 0) this.#bottleneck.send(HEADER_BYTES, this.#delayMs, arrived)
    // As FIN does: it comes with the last bytes.
    else this.#ended = arrived
  }

  #finish(): void {
    if (this.#undelivered > 0 || this.#ended === undefined) return
    const arrived = this.#ended
    this.#ended = undefined
    arrived()
  }

  take(most: number): Buffer {
    const first = this.#queue[0]!
    const taken = first.length <= most ? this.#queue.shift()! : first.subarray(0, most)
    if (taken !== first) this.#queue[0] = first.subarray(most)
    this.#waiting -= taken.length
    return taken
  }
}
